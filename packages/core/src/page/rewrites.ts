import { type Table, tableName } from "../table/model.js";

/** What is said of a rule that rewrites the statements of a page over its table; null where there is none. */
export const rewriteWarning = (table: Table, on: "insert" | "update" | "delete"): string | null => {
  const rule = table.rewriteRules.find((each) => each.on === on);
  return rule
    ? `The rule "${rule.name}" of ${tableName(table)} rewrites every ${on.toUpperCase()}, and PostgreSQL then takes no statement that writes and logs in one: this is refused. ${on === "update" ? "Make a trigger of the rule, or save through a routine." : "Make a trigger of the rule."}`
    : null;
};
