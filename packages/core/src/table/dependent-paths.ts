import type { Dependent, Table } from "./model.js";

/**
 * A way from other records to a record of a table: foreign key by foreign key, the last one's table being the one whose records
 * hang on it. All but the last delete in cascade, so that the last one's rule is what happens to its records.
 */
export interface DependentPath {
  readonly links: readonly Dependent[];
}

/** At most this many foreign keys in a row, and this many ways, are followed. */
const longestWay = 4;
const mostWays = 40;

/** What hangs on the records of a table, nearest first; a table that was passed already is not passed again. */
export function dependentPaths(table: Table, tables: readonly Table[]): readonly DependentPath[] {
  const ways: DependentPath[] = [];
  let ends: { readonly table: Table; readonly links: readonly Dependent[] }[] = [{ table, links: [] }];
  const passed = new Set([table]);
  for (let length = 1; length <= longestWay && ends.length > 0; length++) {
    const next: typeof ends = [];
    for (const end of ends) {
      for (const dependent of end.table.dependents) {
        const links = [...end.links, dependent];
        ways.push({ links });
        const from = tables.find((each) => each.schema === dependent.schema && each.name === dependent.table);
        if (dependent.onDelete !== "cascade" || !from || passed.has(from)) continue;
        passed.add(from);
        next.push({ table: from, links });
      }
    }
    ends = next;
  }
  return ways.slice(0, mostWays);
}
