import type { Facts } from "../condition/evaluate.js";
import { type Language, word } from "../messages/messages.js";
import type { Field, Page } from "../page/page.js";
import { choicesStatement, loadStatement, versionName } from "../statements/load.js";
import type { Database, Row } from "../statements/statement.js";

export interface Option {
  readonly value: string;
  readonly label: string;
}

/** The options of every field that takes its choices from another table, by column name. */
export type Options = ReadonlyMap<string, readonly Option[]>;

/** A record as it is stored now. */
export interface Record {
  readonly row: Row;
  /** The row's version: `xmin`. */
  readonly version: string;
}

/** Loads one record, and nothing that the actor may not see. */
export async function load(
  page: Page,
  key: readonly string[],
  facts: Facts,
  database: Database,
): Promise<Record | null> {
  const [row] = await database.run(loadStatement(page, key, facts));
  return row ? { row, version: row[versionName] ?? "" } : null;
}

/** Whether there is such a record at all, seen by the actor or not: asked only to record why none was found. */
export async function exists(page: Page, key: readonly string[], facts: Facts, database: Database): Promise<boolean> {
  return (await database.run(loadStatement(page, key, facts, "any"))).length > 0;
}

const yesNo = (language: Language): readonly Option[] => [
  { value: "true", label: word(language, "yes") },
  { value: "false", label: word(language, "no") },
];

async function optionsOf(page: Page, field: Field, facts: Facts, database: Database): Promise<readonly Option[]> {
  const { choices } = field;
  if (choices?.from === "truth") return yesNo(page.language);
  if (choices?.from === "labels") return choices.labels.map((label) => ({ value: label, label }));
  if (choices?.from !== "table") return [];
  const rows = await database.run(choicesStatement(choices, facts));
  return rows.map((row) => ({ value: row.value ?? "", label: row.label ?? row.value ?? "" }));
}

/** Loads the options of all choice lists of a page. */
export async function loadOptions(page: Page, facts: Facts, database: Database): Promise<Options> {
  const fields = page.fields.filter((field) => field.choices !== null);
  const loaded = await Promise.all(
    fields.map(async (field) => [field.column.name, await optionsOf(page, field, facts, database)] as const),
  );
  return new Map(loaded);
}
