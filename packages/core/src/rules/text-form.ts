import * as v from "valibot";
import type { MessageCode } from "../messages/catalog.js";
import { type RuleKind, takeOffRule } from "./rule.js";

/** What a rule for a well-known form of text is made of. */
interface TextForm {
  readonly name: string & MessageCode;
  readonly label: string;
  /** `an e-mail address`. */
  readonly words: string;
  readonly means: string;
  readonly form: RegExp;
  /** Its format in JSON Schema (2020-12, 7.3). */
  readonly format: string;
  readonly attributes: Readonly<Record<string, string>>;
}

/** A rule by its name alone, for texts of a well-known form. */
export const textFormRule = ({
  name,
  label,
  words,
  means,
  form,
  format,
  attributes,
}: TextForm): RuleKind<true, true> => ({
  name,
  label,
  inFile: { schema: v.literal(true), byName: true, first: true, parts: [], fits: ["text"], takes: "`true`", means },
  demandOf: (setting) => setting,
  words: () => words,
  broken: (_, { value }) => (form.test(value ?? "") ? null : [name, {}]),
  attributes: () => attributes,
  schema: () => ({ format }),
  review: (_, { column, path, say }) => {
    if (column.type.kind !== "text")
      say("error", "contradiction", `A ${column.type.shown} can't be ${words}.`, path, { repair: takeOffRule(path) });
  },
});
