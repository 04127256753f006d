import { Parameters, quoted, quotedTable, type Statement } from "../postgres/statement.js";
import { columnOf, type Reference } from "../table/model.js";
import type { Asked, RuleKind } from "./rule.js";

/**
 * Asks whether the record that a foreign key names exists; it answers a row if so.
 *
 * @returns null where one of the key's values is missing: then it names none (MATCH SIMPLE)
 */
function existsStatement({ columns, to }: Reference, { page, form }: Asked): Statement | null {
  const parameters = new Parameters();
  const values = columns.map((name) => form[name] ?? null);
  if (values.includes(null)) return null;
  const casts = columns.map((name) => columnOf(page.table, name)?.type.cast ?? "text");
  const same = to.columns.map(
    (name, index) => `t.${quoted(name)} = ${parameters.add(values[index] ?? null, casts[index] ?? "text")}`,
  );
  return {
    purpose: "does it exist",
    text: `SELECT 'there' AS "found" FROM ${quotedTable({ schema: to.schema, name: to.table })} AS t\nWHERE ${same.join(" AND ")}`,
    values: parameters.values,
  };
}

/** The record that a foreign key names exists: what the table enforces. */
export const exists: RuleKind<Reference> = {
  name: "exists",
  label: "Existing record",
  inFile: null,
  demandOf: () => null,
  ofTable: (table, { name }) => table.references.filter(({ columns }) => columns.includes(name)),
  words: () => "an existing record",
  lookUp: (reference, asked) => {
    const statement = existsStatement(reference, asked);
    return statement && { statement, brokenWhere: "not found", code: "exists" };
  },
  counted: () => ({ by: "nothing", because: "the table holds it by itself" }),
};
