import * as v from "valibot";
import { offeredRule } from "../../rules/offered.js";
import { pageRules, tableRules, withMessages } from "../../rules/read.js";
import type { Rule } from "../../rules/rule.js";
import { type RuleSetting, ruleSchema } from "../../rules/schema.js";
import { constraintMessages } from "../constraints.js";
import type { FieldSetting } from "../setting.js";
import { condition, line } from "../shapes.js";

/** What is demanded of a value: by the page, by its choices, by the table. */
export const rules: FieldSetting<RuleSetting[], readonly Rule[], "rules"> = {
  label: "Rules",
  about: "What is demanded of a value, beside what the table enforces.",
  details: "See [rules](rules.md).",
  without: "what the table enforces",
  editor: { kind: "own" },
  into: "rules",
  schema: () => v.array(ruleSchema(condition, line)),
  bind: (given = [], { page, column, settings, choices, control, empty, path }) => [
    ...pageRules(given, column, page, path),
    ...(settings.choices?.where ? offeredRule(choices) : []),
    ...withMessages(
      tableRules(page.table, column, control, empty),
      constraintMessages(page.given("constraints")),
      page.table,
      column,
      control,
      empty,
    ),
  ],
};
