import { type Table, tableName } from "./model.js";

/**
 * The table that a page file means: `schema.table`, or the bare name of a table in the schema `public`. The one look-up of tables by
 * a name that somebody wrote.
 */
export const findTable = (tables: readonly Table[], name: string): Table | undefined =>
  tables.find((each) => tableName(each) === name) ??
  tables.find((each) => each.schema === "public" && each.name === name);
