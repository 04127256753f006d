import { writeFile } from "node:fs/promises";
import { tableTypes } from "@loyal-quill/authoring";
import { findTable, type Table } from "@loyal-quill/core";
import type { Say } from "../cluster/cluster.js";
import { CannotStart } from "../listen.js";
import { catalogOf } from "../open-database.js";

interface TypesOptions {
  readonly database: string;
  /** Undefined for all tables. */
  readonly tables: readonly string[] | undefined;
  /** The file that they go to; undefined shows them instead. */
  readonly to: string | undefined;
}

/** `quill types`: the types of tables' rows in TypeScript, for the steps of pages. */
export async function types({ database, tables, to }: TypesOptions, say: Say): Promise<void> {
  const catalog = await catalogOf(database);
  const found = (tables ?? []).map((name): Table => {
    const table = findTable(catalog.tables, name);
    if (!table)
      throw new CannotStart(`There is no table ${name} that this connection may read. Names are written schema.table.`);
    return table;
  });
  const text = tableTypes(tables === undefined ? catalog.tables : found);
  if (to === undefined) return say(text);
  await writeFile(to, text);
  say(`${tables === undefined ? catalog.tables.length : found.length} tables: ${to}`);
}
