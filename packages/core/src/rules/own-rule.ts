import * as v from "valibot";
import type { Language } from "../messages/messages.js";
import type { Kind } from "../table/model.js";
import { guardedly } from "../values/registry.js";
import { type AnyRule, addRule } from "./index.js";
import { takeOffRule } from "./rule.js";

/** What a developer's own rule is set to in a page file. */
export interface OwnSettings {
  readonly text: string;
  readonly number: number;
  readonly list: readonly string[];
}

type SettingOf<As extends keyof OwnSettings | undefined> = As extends keyof OwnSettings ? OwnSettings[As] : true;

/** A rule of a developer's own. */
export interface OwnRule<As extends keyof OwnSettings | undefined = undefined> {
  /** By which page files name it: small letters with hyphens, like `grid-reference`. */
  readonly name: string;
  /** What it is called where it is chosen: `Grid reference`. */
  readonly label: string;
  /** What it demands, in a few words: `a grid reference of the vale`. */
  readonly words: string | ((setting: SettingOf<As>) => string);
  /** What it is set to in the page file; where it is left out, its name alone says enough. */
  readonly setting?: As;
  /** The kinds of column that it is for; `text` where it is left out. */
  readonly fits?: readonly Kind[];
  /**
   * What is wrong with a value, in the page's language; null where nothing is. Asked of submitted values, and of stored ones by the census: it goes by
   * what it is given alone, and at once.
   *
   * @param value in PostgreSQL's text form; never a missing one
   */
  broken(value: string, told: { readonly setting: SettingOf<As>; readonly language: Language }): string | null;
  /** Attributes of the field's control. */
  readonly attributes?: Readonly<Record<string, string>>;
}

const schemas = {
  text: v.pipe(v.string(), v.minLength(1), v.maxLength(1000)),
  number: v.number(),
  list: v.pipe(v.array(v.pipe(v.string(), v.minLength(1))), v.minLength(1)),
} as const;

const edited = { text: "text", number: "bound", list: "list" } as const;
const firsts = { text: "", number: 0, list: [] } as const;
const takes = { text: "a text", number: "a number", list: "a list of texts" } as const;

/** A rule whatever its setting is. */
// biome-ignore lint/suspicious/noExplicitAny: a rule's setting is its own
export type AnyOwnRule = OwnRule<any>;

/** What a rule has answered. @throws where it is neither a message nor nothing: a promise would refuse every value */
function judged(said: unknown): string | null | undefined {
  if (said === null || said === undefined || typeof said === "string") return said;
  throw new Error(
    `it answered ${said instanceof Promise ? "a promise" : String(said)}, where it says at once what is wrong with a value, as a text, or null`,
  );
}

/** A developer's rule as one of ours, by which review, census, Sheet and steps know it. */
function kindFrom(own: AnyOwnRule): AnyRule {
  const { name, label, setting: as, fits = ["text"], attributes } = own as OwnRule<keyof OwnSettings>;
  const words = (demand: never): string => (typeof own.words === "string" ? own.words : own.words(demand));
  return {
    name,
    label,
    inFile: {
      schema: (as ? schemas[as] : v.literal(true)) as v.GenericSchema<unknown>,
      byName: !as,
      first: as ? firsts[as] : true,
      parts: as ? [{ name: null, label, as: edited[as] }] : [],
      fits,
      takes: as ? takes[as] : "`true`",
      means: `A rule of this application's own: ${typeof own.words === "string" ? own.words : label}.`,
    },
    demandOf: (setting: unknown) => setting,
    words,
    broken: (demand, { value, language = "en" }) => {
      const said =
        value === null
          ? null
          : guardedly(`the rule ${name}`, () => judged(own.broken(String(value), { setting: demand, language })));
      return said === null || said === undefined ? null : ["own", { said }];
    },
    ...(attributes ? { attributes: () => attributes } : {}),
    review: (_, { column, path, say }) => {
      if (!fits.includes(column.type.kind))
        say(
          "error",
          "contradiction",
          `The rule ${name} is for ${fits.join(", ")}, and this column is ${column.type.shown}: add fits: ["${column.type.kind}"] to the rule, if it can judge one.`,
          path,
          { repair: takeOffRule(path) },
        );
    },
  };
}

/**
 * Adds a rule of a developer's own to those that page files can name, in this whole process.
 *
 * @param source where it stands, for messages
 * @throws where its name is taken, or is none, or it judges nothing
 */
export function addOwnRule(own: AnyOwnRule, source: string): void {
  if (typeof own.broken !== "function")
    throw new Error(`The rule "${String(own.name)}" in ${source} has no function "broken", which says what is wrong.`);
  addRule(kindFrom(own), own, source);
}
