import * as v from "valibot";
import type { RuleKind } from "./rule.js";

type Types = readonly string[];

/** The type that a sent file's text has after its size (see `steps/read.ts`). */
const typeOf = (text: string): string => /^\d+ (\S+)/.exec(text)?.[1]?.toLowerCase() ?? "";

const isOne = (types: Types, type: string): boolean =>
  types.some((each) => (each.endsWith("/*") ? type.startsWith(each.slice(0, -1)) : each === type));

/** A file of one of these media types, as the browser names it; nothing of the table can say that. */
export const mediaTypes: RuleKind<Types, Types> = {
  name: "media-types",
  label: "Media types",
  inFile: {
    schema: v.pipe(v.array(v.pipe(v.string(), v.regex(/^[\w.+-]+\/([\w.+-]+|\*)$/))), v.minLength(1)),
    byName: false,
    first: ["image/png"],
    parts: [{ name: null, label: "Types", as: "list" }],
    fits: ["text", "other"],
    takes: "a list of media types",
    means: "For a file: one of these types, like `image/png` or `image/*`, as the browser names it.",
  },
  demandOf: (types) => types.map((each) => each.toLowerCase()),
  words: (types) => `a file of ${types.join(", ")}`,
  broken: (types, { text }) => (isOne(types, typeOf(text)) ? null : ["media-types", { types: types.join(", ") }]),
  attributes: (types) => ({ accept: types.join(",") }),
  counted: () => ({ by: "nothing", because: "the type of a stored file is not kept" }),
};
