import { predicate } from "../condition/to-sql.js";
import { keyPredicate } from "../postgres/key-predicate.js";
import { Parameters, quoted, quotedTable, type Statement } from "../postgres/statement.js";
import type { Column } from "../table/model.js";
import type { OfRecord } from "./of-record.js";

/**
 * A part of a file in a record that the actor may see: bytes in hexadecimal digits, or characters.
 *
 * @param from the first byte, or character, counted from one
 */
export function filePartStatement(
  { page, key, facts }: OfRecord,
  column: Column,
  from: number,
  length: number,
): Statement {
  const parameters = new Parameters();
  const where = [keyPredicate(page.key, key, parameters, "t")];
  if (page.access.rows) where.push(predicate(page.access.rows, parameters, facts, "t"));
  const part = `substring(t.${quoted(column.name)} FROM ${parameters.add(String(from), "integer")} FOR ${parameters.add(String(length), "integer")})`;
  const text = column.type.kind === "text" ? part : `encode(${part}, 'hex')`;
  return {
    purpose: "part of a file",
    text: `SELECT ${text} AS "part"\nFROM ${quotedTable(page.table)} AS t\nWHERE ${where.join(" AND ")}`,
    values: parameters.values,
  };
}
