import * as v from "valibot";
import { ruleKindsInFile } from "./index.js";

/** A rule as a page file has it: its name alone, or one name with its setting, when it applies and what it says. */
export type RuleSetting =
  | string
  | ({ readonly when?: string | undefined; readonly message?: string | undefined } & Readonly<Record<string, unknown>>);

/** The schema of a rule. What else belongs to each is its own: conditions and lines are the page file's. */
export const ruleSchema = (
  condition: v.GenericSchema<string>,
  line: v.GenericSchema<string>,
): v.GenericSchema<RuleSetting> =>
  v.union([
    v.picklist(ruleKindsInFile().flatMap(({ name, inFile }) => (inFile.byName ? [name] : []))),
    v.strictObject({
      ...Object.fromEntries(ruleKindsInFile().map(({ name, inFile }) => [name, v.optional(inFile.schema)])),
      when: v.optional(condition),
      message: v.optional(line),
    }),
  ]) as v.GenericSchema<RuleSetting>;
