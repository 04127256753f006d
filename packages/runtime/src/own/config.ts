import { existsSync } from "node:fs";
import path from "node:path";
import { pathToFileURL } from "node:url";
import {
  type AnyOwnRule,
  addOwnControl,
  addOwnRule,
  type OwnControl,
  type OwnRule,
  type OwnSettings,
} from "@loyal-quill/core";
import { type ImportModule, importAt, OwnCodeError } from "./code.js";

/** Rules and controls of an application's own, which its page files name. */
export interface OwnKinds {
  readonly rules?: readonly AnyOwnRule[];
  readonly controls?: readonly OwnControl[];
}

/**
 * A rule of one's own. It does nothing but check the types: that of its setting is told by the rule alone, wherever it stands.
 *
 * @example
 * const valeGrid = defineRule({
 *   name: "vale-grid",
 *   label: "Grid reference",
 *   fits: ["text"],
 *   words: "a place on the vale's grid, like MV 636 321",
 *   broken: (value) => (/^MV \d{3} \d{3}$/.test(value) ? null : "Write it like MV 636 321."),
 * });
 */
export const defineRule = <As extends keyof OwnSettings | undefined = undefined>(rule: OwnRule<As>): AnyOwnRule => rule;

/**
 * A control of one's own. It does nothing but check the types.
 *
 * @example
 * const colour = defineControl({
 *   name: "colour",
 *   write: ({ attributes, text }) => html`<input type="color"${attributes} value="${text}">`,
 * });
 */
export const defineControl = (control: OwnControl): OwnControl => control;

/**
 * What `quill.config.ts` exports. It does nothing but check the types.
 *
 * @example export default defineConfig({ rules: [valeGrid], controls: [colour] });
 */
export const defineConfig = (kinds: OwnKinds): OwnKinds => kinds;

/** What the module beside the page files is called. Compiled JavaScript goes before the TypeScript that it was made of. */
const names = ["quill.config.js", "quill.config.mjs", "quill.config.ts", "quill.config.mts"] as const;

/**
 * Adds rules and controls to those that page files can name, in this whole process.
 *
 * @param source where they stand, for messages
 * @throws OwnCodeError where one has a name that is taken, or is none
 */
export function addOwnKinds({ rules = [], controls = [] }: OwnKinds, source: string): void {
  try {
    for (const rule of rules) addOwnRule(rule, source);
    for (const control of controls) addOwnControl(control, source);
  } catch (error) {
    throw new OwnCodeError((error as Error).message, { cause: error });
  }
}

/**
 * Adds the rules and controls of `quill.config.ts` (or `.js`) beside the page files of a directory, where there is one. It is read once: what is
 * changed in it holds from the next start on.
 *
 * @throws OwnCodeError where it can't be used
 */
export async function loadOwnKinds(directory: string, importModule?: ImportModule): Promise<void> {
  const name = names.find((each) => existsSync(path.join(directory, each)));
  if (name === undefined) return;
  const file = path.resolve(directory, name);
  const kinds = await importAt(name, pathToFileURL(file).href, importModule);
  if (typeof kinds !== "object" || kinds === null)
    throw new OwnCodeError(`${name} exports nothing: export default defineConfig({ rules: […], controls: […] }).`);
  const strays = Object.keys(kinds).filter((each) => each !== "rules" && each !== "controls");
  if (strays.length > 0)
    throw new OwnCodeError(`${name} has "${strays[0]}", which there is not. There are: rules, controls.`);
  addOwnKinds(kinds, file);
}
