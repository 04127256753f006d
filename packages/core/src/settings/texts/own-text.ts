import type { Template } from "../bound/template.js";
import type { Described, Setting } from "../setting.js";
import { line } from "../shapes.js";

/** What is told of a text of the page's own. */
type About = Pick<Described, "label" | "words" | "about" | "without" | "step"> & {
  /** An example of it. */
  readonly placeholder: string;
};

/** A text of the page's own in the place of its language's, with values of the record in it. */
export const ownText = <const Into extends string>(
  into: Into,
  { placeholder, ...about }: About,
): Setting<string, Template | null, Into> => ({
  ...about,
  editor: { kind: "line", placeholder },
  into,
  schema: () => line,
  bind: (given, binder, path) => (given === undefined ? null : binder.template(given, path)),
});

/** The same for what stands on a list: there is no record whose values could stand in it. */
export const ownListText = <const Into extends string>(
  into: Into,
  { placeholder, ...about }: About,
): Setting<string, string | null, Into> => ({
  ...about,
  editor: { kind: "line", placeholder },
  into,
  schema: () => line,
  bind: (given) => given ?? null,
});
