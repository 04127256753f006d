import { asksFor } from "../condition/expression.js";
import { type Facts, noFacts } from "../condition/facts.js";
import { predicate } from "../condition/to-sql.js";
import type { Choices, TableChoices } from "../controls/choice-source.js";
import { Parameters, quoted, quotedTable, type Statement, type Stored } from "../postgres/statement.js";
import type { Column } from "../table/model.js";
import type { Rule, RuleKind } from "./rule.js";

/** Asks whether a value is among the choices that a page offers; it answers a row if so. */
function offeredStatement(choices: TableChoices, value: Stored, facts: Facts): Statement {
  const parameters = new Parameters();
  const where = [`t.${quoted(choices.key.name)} = ${parameters.add(value, choices.key.type.cast)}`];
  if (choices.where) where.push(predicate(choices.where, parameters, facts, "t"));
  return {
    purpose: "is it offered",
    text: `SELECT 'offered' AS "found" FROM ${quotedTable(choices.table)} AS t\nWHERE ${where.join(" AND ")}`,
    values: parameters.values,
  };
}

function notOffered(choices: TableChoices, column: Column, parameters: Parameters): string {
  const offered = choices.where ? ` AND (${predicate(choices.where, parameters, noFacts, "c")}) IS TRUE` : "";
  return `NOT EXISTS (SELECT FROM ${quotedTable(choices.table)} AS c WHERE c.${quoted(choices.key.name)} = t.${quoted(column.name)}${offered})`;
}

/** Like `exists`, among the choices that the page offers, which no constraint of the table promises. */
export const offered: RuleKind<TableChoices> = {
  name: "offered",
  label: "Offered",
  inFile: null,
  demandOf: () => null,
  words: ({ where }) => `one of those offered: ${where?.source ?? ""}`,
  lookUp: (choices, { column, form, facts }) => {
    const value = form[column.name] ?? null;
    if (value === null) return null;
    return {
      statement: offeredStatement(choices, value, { ...facts, form }),
      brokenWhere: "not found",
      code: "not-on-offer",
    };
  },
  counted: (choices, column) =>
    (choices.where?.formColumns.length ?? 0) > 0 || (choices.where && asksFor(choices.where, "actor"))
      ? { by: "nothing", because: "what is offered depends on the form or on who asks" }
      : { by: "predicate", refused: (parameters) => notOffered(choices, column, parameters) },
};

/** The rule of a field whose choices the page restricts; none where it does not. */
export const offeredRule = (choices: Choices | null): Rule[] =>
  choices?.from === "table" && choices.where
    ? [{ rule: offered.name, demand: choices, from: "page", when: null, message: null }]
    : [];
