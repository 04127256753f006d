import {
  type Database,
  isRefusedAs,
  labelsStatement,
  noFacts,
  type Page,
  referencedChoices,
  type Table,
  type TableChoices,
} from "@loyal-quill/core";

/** So many values of a column are labelled. */
const most = 200;

interface Referring {
  /** The page by which the record is edited; null for none. */
  readonly page: Page | null;
  readonly table: Table;
  readonly tables: readonly Table[];
  readonly database: Database;
  /** Whether a column's values are told to nobody, by any page that is made for its table. */
  readonly isSecret: (table: Table, column: string) => boolean;
}

/** The records that a column refers to, as its page labels them; null where it refers to none, or where its value alone does not name one. */
function choicesOf({ page, table, tables, isSecret }: Referring, name: string): TableChoices | null {
  const column = table.columns.find((each) => each.name === name);
  if (!column || column.sensitive) return null;
  const choices =
    page?.fields.find((field) => field.column.name === name)?.choices ?? referencedChoices(column, table, tables);
  if (choices?.from !== "table" || (choices.where?.formColumns.length ?? 0) > 0) return null;
  if (choices.key.name === choices.label.name || isSecret(choices.table, choices.label.name)) return null;
  return { ...choices, where: null };
}

/**
 * What the records are called that a column's values refer to, by value. A record that is gone has no label, nor has one whose label is sensitive.
 *
 * @param values values of the column, of now and before; the first {@link most} are labelled
 */
export async function referenceLabels(
  referring: Referring,
  name: string,
  values: readonly string[],
): Promise<Readonly<Record<string, string>>> {
  const choices = choicesOf(referring, name);
  const wanted = [...new Set(values)].slice(0, most);
  if (!choices || wanted.length === 0) return {};
  try {
    const rows = await referring.database.run(labelsStatement(choices, wanted, noFacts));
    return Object.fromEntries(rows.flatMap(({ value, label }) => (value && label ? [[value, label]] : [])));
  } catch (error) {
    // The log may have values of a type that the column had before; and the pages' role may have no right to what is referred to.
    if (isRefusedAs(error, "bad value", "unreadable text", "bad statement", "took too long", "other")) return {};
    throw error;
  }
}
