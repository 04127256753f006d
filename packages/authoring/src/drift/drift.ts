import type { Edit } from "@loyal-quill/core/findings/edit";
import type { SchemaChange } from "@loyal-quill/core/findings/schema-change";
import { quoted, quotedTable } from "@loyal-quill/core/postgres/statement";
import { type Column, columnOf, type Table, tableName } from "@loyal-quill/core/table/model";

/** One thing that is otherwise in a table than it was, and what could be done about it in the page file. */
export interface Drift {
  readonly what: string;
  /** The columns that it is about. */
  readonly columns: readonly string[];
  /** A proposal: names to be written otherwise everywhere in the file, or edits. */
  readonly repair:
    | { readonly what: string; readonly rename: { readonly from: string; readonly to: string } }
    | { readonly what: string; readonly edits: readonly Edit[] }
    | null;
  /** What would bring the table back to what it was, where that is a constraint or a NOT NULL that is gone. */
  readonly change?: SchemaChange;
}

/** A column that is gone and a new one of the same type at its place, or the only ones of their kind, are one that was renamed. */
function renamed(before: Table, after: Table): ReadonlyMap<string, string> {
  const gone = before.columns.filter((column) => !columnOf(after, column.name));
  const added = after.columns.filter((column) => !columnOf(before, column.name));
  const pairs = new Map<string, string>();
  for (const column of gone) {
    const alike = added.filter(
      (other) => other.type.shown === column.type.shown && ![...pairs.values()].includes(other.name),
    );
    const place = before.columns.indexOf(column);
    const match =
      alike.find((other) => after.columns.indexOf(other) === place) ?? (gone.length === 1 ? alike[0] : undefined);
    if (match) pairs.set(column.name, match.name);
  }
  return pairs;
}

function changedColumn(before: Column, after: Column, table: Table): Drift[] {
  const { name } = after;
  const column = `ALTER TABLE ${quotedTable(table)} ALTER COLUMN ${quoted(name)}`;
  const back: SchemaChange = {
    name: `${table.name}_${name}_not_null`,
    up: `${column} SET NOT NULL;`,
    down: `${column} DROP NOT NULL;`,
  };
  const say = (what: string): Drift => ({ what: `${name}: ${what}`, columns: [name], repair: null });
  return [
    ...(before.type.shown === after.type.shown ? [] : [say(`${before.type.shown} became ${after.type.shown}`)]),
    ...(before.type.labels.join("\0") === after.type.labels.join("\0")
      ? []
      : [say(`its values are now ${after.type.labels.join(", ")}`)]),
    ...(before.nullable === after.nullable
      ? []
      : [after.nullable ? { ...say("may be empty now"), change: back } : say("may no longer be empty")]),
    ...(before.default === after.default
      ? []
      : [say(after.default === null ? "has no default any more" : `its default is ${after.default}`)]),
    ...(before.written === after.written
      ? []
      : [say(after.written === "always" ? "is made by the table now" : "is no longer made by the table")]),
    ...(before.granted.update === after.granted.update
      ? []
      : [say(after.granted.update ? "this connection may update it now" : "this connection may no longer update it")]),
  ];
}

/** What of a list came and went, by how each is said. */
function cameAndWent(before: readonly string[], after: readonly string[], columns: readonly string[] = []): Drift[] {
  const say = (what: string): Drift => ({ what, columns, repair: null });
  return [
    ...before.filter((each) => !after.includes(each)).map((each) => say(`gone: ${each}`)),
    ...after.filter((each) => !before.includes(each)).map((each) => say(`new: ${each}`)),
  ];
}

const demandsOf = (table: Table): string[] => [
  ...table.keys.map((key) => `key ${key.columns.join(", ")}`),
  ...table.constraints.filter((each) => each.kind !== "unique").map((each) => each.definition),
  ...table.constraints.filter((each) => each.kind === "unique").map((each) => `unique ${each.columns.join(", ")}`),
  ...table.references.map(
    (each) => `${each.columns.join(", ")} → ${each.to.schema}.${each.to.table} (${each.to.columns.join(", ")})`,
  ),
];

/** The CHECK and exclusion constraints that are gone, by what is said of them, with what would bring each back. */
function constraintsBack(before: Table, after: Table): ReadonlyMap<string, SchemaChange> {
  const target = quotedTable(after);
  return new Map(
    before.constraints.flatMap(({ kind, constraint, definition }): [string, SchemaChange][] =>
      kind === "unique" || after.constraints.some((each) => each.definition === definition)
        ? []
        : [
            [
              `gone: ${definition}`,
              {
                name: constraint,
                up: `ALTER TABLE ${target} ADD CONSTRAINT ${quoted(constraint)} ${definition};`,
                down: `ALTER TABLE ${target} DROP CONSTRAINT ${quoted(constraint)};`,
              },
            ],
          ],
    ),
  );
}

/**
 * What is otherwise in a table than it was when a page over it was published.
 *
 * @param after undefined where there is no such table any more, or the connection may not read it
 */
export function tableDrift(before: Table, after: Table | undefined): readonly Drift[] {
  if (!after)
    return [
      {
        what: `There is no table ${tableName(before)} any more that this connection may read.`,
        columns: [],
        repair: null,
      },
    ];
  const pairs = renamed(before, after);
  const drift: Drift[] = [];
  for (const column of before.columns) {
    const to = pairs.get(column.name);
    const now = columnOf(after, to ?? column.name);
    if (to !== undefined)
      drift.push({
        what: `${column.name} is called ${to} now`,
        columns: [column.name, to],
        repair: { what: `write ${to} everywhere`, rename: { from: column.name, to } },
      });
    if (now) drift.push(...changedColumn(column, now, after));
    else
      drift.push({
        what: `the column ${column.name} is gone`,
        columns: [column.name],
        repair: { what: `remove ${column.name} from the page`, edits: [{ do: "remove-fields", names: [column.name] }] },
      });
  }
  for (const column of after.columns) {
    if (columnOf(before, column.name) || [...pairs.values()].includes(column.name)) continue;
    const demand = column.nullable || column.default !== null ? "" : ", which new records need";
    drift.push({
      what: `new column ${column.name}, ${column.type.shown}${demand}`,
      columns: [column.name],
      repair: {
        what: `put ${column.name} on the page`,
        edits: [{ do: "add-fields", names: [column.name], before: null }],
      },
    });
  }
  /** What was said of a renamed column is said of it still. */
  const renamedIn = (text: string): string =>
    [...pairs].reduce(
      (said, [from, to]) => said.replaceAll(new RegExp(`\\b${from.replaceAll(/[^\w]/g, "\\$&")}\\b`, "g"), to),
      text,
    );
  const gone = constraintsBack(before, after);
  drift.push(
    ...cameAndWent(demandsOf(before).map(renamedIn), demandsOf(after)).map((each) => {
      const change = gone.get(each.what);
      return change ? { ...each, change } : each;
    }),
  );
  return drift;
}
