import { predicate } from "../condition/to-sql.js";
import type { TableChoices } from "../controls/choice-source.js";
import { loadedColumns } from "../page/columns.js";
import { memoizePerPage } from "../page/memoize-per-page.js";
import { keyPredicate } from "../postgres/key-predicate.js";
import { Parameters, quoted, quotedTable, type Statement } from "../postgres/statement.js";
import { textForm } from "../postgres/text-form.js";
import { choicesArray } from "./find-choices.js";
import type { OfRecord } from "./of-record.js";

/** The name under which a row's version (`xmin`) travels; no column can be called so without being quoted the same way. */
export const versionName = "quill:version";

/** The columns of a page in their text form, and the row's version. */
const selected = memoizePerPage((page) =>
  [
    ...loadedColumns(page).map((column) => `${textForm("t", column)} AS ${quoted(column.name)}`),
    `t.xmin::text AS ${quoted(versionName)}`,
  ].join(", "),
);

/** The name under which the choices of a page's field travel with a record, by the field's place. */
export const choicesName = (index: number): string => `quill:choices ${index}`;

/** The fields whose choices can be listed before the record is known. */
export const listedFields = memoizePerPage((page): readonly (readonly [index: number, choices: TableChoices])[] =>
  page.fields.flatMap(({ choices }, index) =>
    choices?.from === "table" && choices.by === "list" && (choices.where?.formColumns.length ?? 0) === 0
      ? [[index, choices] as const]
      : [],
  ),
);

interface LoadOptions {
  /** `accessible` asks with the `rows` condition; `any` asks whether the record exists at all. */
  readonly seen?: "accessible" | "any";
  /** Whether the choices of its form are asked for as well: what a form needs comes in one trip. */
  readonly lists?: boolean;
}

/** Loads one record by its key, with the page's `rows` condition in the WHERE. */
export function loadStatement(
  { page, key, facts }: OfRecord,
  { seen = "accessible", lists = false }: LoadOptions = {},
): Statement {
  const parameters = new Parameters();
  const where = [keyPredicate(page.key, key, parameters, "t")];
  if (seen === "accessible" && page.access.rows) where.push(predicate(page.access.rows, parameters, facts, "t"));
  const columns = [selected(page)];
  for (const [index, choices] of lists ? listedFields(page) : [])
    columns.push(`${choicesArray(choices, facts, parameters)}::text AS ${quoted(choicesName(index))}`);
  return {
    purpose: seen === "accessible" ? "load" : "look closer",
    text: `SELECT ${columns.join(", ")}\nFROM ${quotedTable(page.table)} AS t\nWHERE ${where.join(" AND ")}`,
    values: parameters.values,
  };
}
