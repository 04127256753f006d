import type { Facts } from "../condition/evaluate.js";
import { predicate } from "../condition/to-sql.js";
import type { Page, TableChoices } from "../page/page.js";
import { keyPredicate } from "../postgres/key-predicate.js";
import { Parameters, quoted, quotedTable, type Statement, type Stored } from "../postgres/statement.js";
import type { Column, Reference } from "../table/model.js";

/**
 * Asks whether another record has these values already. The record itself does not count; a new one (null) has none yet.
 *
 * It answers a row if so. Only a constraint of the table can promise that it stays so; this is for telling people early.
 */
export function takenStatement(
  page: Page,
  key: readonly string[] | null,
  columns: readonly Column[],
  values: readonly Stored[],
  ignoringCase: boolean,
): Statement {
  const parameters = new Parameters();
  const same = columns.map((column, index) => {
    const [stored, given] = [`t.${quoted(column.name)}`, parameters.add(values[index] ?? null, column.type.cast)];
    return ignoringCase ? `lower(${stored}::text) = lower(${given}::text)` : `${stored} = ${given}`;
  });
  const itself = key ? ` AND NOT (${keyPredicate(page.key, key, parameters, "t")})` : "";
  return {
    purpose: "is it taken",
    text: `SELECT 'taken' AS "found" FROM ${quotedTable(page.table)} AS t\nWHERE ${same.join(" AND ")}${itself}\nLIMIT 1`,
    values: parameters.values,
  };
}

/** Asks whether the record that a foreign key names exists; it answers a row if so. */
export function existsStatement(
  reference: Reference,
  columns: readonly Column[],
  values: readonly Stored[],
): Statement {
  const parameters = new Parameters();
  const same = reference.to.columns.map(
    (name, index) =>
      `t.${quoted(name)} = ${parameters.add(values[index] ?? null, columns[index]?.type.cast ?? "text")}`,
  );
  const table = { schema: reference.to.schema, name: reference.to.table };
  return {
    purpose: "does it exist",
    text: `SELECT 'there' AS "found" FROM ${quotedTable(table)} AS t\nWHERE ${same.join(" AND ")}`,
    values: parameters.values,
  };
}

/** Asks whether a value is among the choices that a page offers; it answers a row if so. */
export function offeredStatement(choices: TableChoices, value: Stored, facts: Facts): Statement {
  const parameters = new Parameters();
  const where = [`t.${quoted(choices.key.name)} = ${parameters.add(value, choices.key.type.cast)}`];
  if (choices.where) where.push(predicate(choices.where, parameters, facts, "t"));
  return {
    purpose: "is it offered",
    text: `SELECT 'offered' AS "found" FROM ${quotedTable(choices.table)} AS t\nWHERE ${where.join(" AND ")}`,
    values: parameters.values,
  };
}
