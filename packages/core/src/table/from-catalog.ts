import { catalogColumns, catalogConstraints, catalogEnums } from "../statements/catalog.js";
import type { Database, Row } from "../statements/statement.js";
import type { Column, ColumnType, Constraint, Key, Kind, Reference, Table } from "./model.js";

const kinds: Readonly<Record<string, Kind>> = {
  text: "text",
  varchar: "text",
  bpchar: "text",
  citext: "text",
  name: "text",
  int2: "integer",
  int4: "integer",
  int8: "integer",
  numeric: "decimal",
  float4: "float",
  float8: "float",
  bool: "boolean",
  date: "date",
  time: "time",
  timestamp: "timestamp",
  timestamptz: "timestamptz",
  uuid: "uuid",
  json: "json",
  jsonb: "json",
};

const text = (row: Row, name: string): string => row[name] ?? "";

/** A type's length, precision and scale from `atttypmod` (PostgreSQL: varchar and char add 4, numeric packs two halves). */
function fromModifier(type: string, modifier: number): Pick<ColumnType, "maxLength" | "precision" | "scale"> {
  if (modifier < 4) return { maxLength: null, precision: null, scale: null };
  const packed = modifier - 4;
  if (type === "varchar" || type === "bpchar") return { maxLength: packed, precision: null, scale: null };
  if (type !== "numeric") return { maxLength: null, precision: null, scale: null };
  // The scale's eleven bits are signed: numeric(5,-2) rounds to hundreds.
  const scale = ((packed & 0x7ff) ^ 1024) - 1024;
  return { maxLength: null, precision: (packed >> 16) & 0xffff, scale };
}

function typeOf(row: Row, labels: ReadonlyMap<string, readonly string[]>): ColumnType {
  const type = text(row, "type");
  return {
    shown: text(row, "shown"),
    cast: text(row, "cast"),
    kind: text(row, "type_type") === "e" ? "enum" : (kinds[type] ?? "other"),
    ...fromModifier(type, Number(text(row, "modifier"))),
    labels: labels.get(text(row, "type_id")) ?? [],
  };
}

interface Draft {
  readonly schema: string;
  readonly name: string;
  readonly comment: string | null;
  readonly columns: Column[];
  readonly numbers: Map<number, string>;
}

function drafts(columns: readonly Row[], enums: readonly Row[]): Map<string, Draft> {
  const labels = new Map<string, string[]>();
  for (const row of enums) {
    const list = labels.get(text(row, "type_id")) ?? [];
    list.push(text(row, "label"));
    labels.set(text(row, "type_id"), list);
  }
  const tables = new Map<string, Draft>();
  for (const row of columns) {
    const id = text(row, "table_id");
    const draft: Draft = tables.get(id) ?? {
      schema: text(row, "schema"),
      name: text(row, "table"),
      comment: row.table_comment ?? null,
      columns: [],
      numbers: new Map(),
    };
    tables.set(id, draft);
    draft.numbers.set(Number(row.number), text(row, "column"));
    draft.columns.push({
      name: text(row, "column"),
      type: typeOf(row, labels),
      nullable: row.nullable === "true",
      default: row.default ?? null,
      written: row.always === "true" ? "always" : "freely",
      comment: row.comment ?? null,
    });
  }
  return tables;
}

const constraintKinds: Readonly<Record<string, Constraint["kind"]>> = { u: "unique", c: "check", x: "exclusion" };

/** Column names of a JSON array of attribute numbers; empty where one is an expression (number 0). */
function named(draft: Draft | undefined, numbers: string | null | undefined): string[] {
  const list = numbers ? (JSON.parse(numbers) as number[]) : [];
  const names = list.map((number) => draft?.numbers.get(number));
  return names.every((name) => name !== undefined) ? (names as string[]) : [];
}

function constrained(draft: Draft, tables: ReadonlyMap<string, Draft>, rows: readonly Row[]): Table {
  const keys: Key[] = [];
  const references: Reference[] = [];
  const constraints: Constraint[] = [];
  for (const row of rows) {
    const constraint = text(row, "constraint");
    const columns = named(draft, row.columns);
    const kind = constraintKinds[text(row, "kind")];
    if (row.kind === "f") {
      const target = tables.get(text(row, "to_table_id"));
      if (!target) continue;
      const to = { schema: target.schema, table: target.name, columns: named(target, row.to_columns) };
      references.push({ constraint, columns, to });
    } else if (kind) {
      constraints.push({ constraint, kind, columns, definition: text(row, "definition") });
    }
    const notNull = columns.every((name) => draft.columns.some((column) => column.name === name && !column.nullable));
    const unique = row.kind === "p" || row.kind === "u";
    if (unique && columns.length > 0 && notNull && row.immediate === "true") {
      keys.push({ constraint, columns, primary: row.kind === "p" });
    }
  }
  keys.sort((a, b) => Number(b.primary) - Number(a.primary) || a.columns.length - b.columns.length);
  return {
    schema: draft.schema,
    name: draft.name,
    comment: draft.comment,
    columns: draft.columns,
    keys,
    references,
    constraints,
  };
}

/**
 * Reads the model of every table that the connection may select from.
 *
 * @returns the tables in the order of schema and name; tables of `quill_log` and of PostgreSQL itself are left out.
 */
export async function readTables(database: Database): Promise<readonly Table[]> {
  const [columns, constraints, enums] = await Promise.all([
    database.run(catalogColumns()),
    database.run(catalogConstraints()),
    database.run(catalogEnums()),
  ]);
  const tables = drafts(columns, enums);
  const byTable = new Map<string, Row[]>();
  for (const row of constraints) {
    const id = text(row, "table_id");
    byTable.set(id, [...(byTable.get(id) ?? []), row]);
  }
  return [...tables].map(([id, draft]) => constrained(draft, tables, byTable.get(id) ?? []));
}
