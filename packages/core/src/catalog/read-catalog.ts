import Big from "big.js";
import * as v from "valibot";
import { namesIn, numbersIn, parserOf } from "../postgres/answered.js";
import type { Database, Row } from "../postgres/statement.js";
import type {
  Catalog,
  CheckConstraint,
  Column,
  ColumnType,
  Constraint,
  Dependent,
  Key,
  Kind,
  OnDelete,
  Reference,
  Routine,
  Table,
  UnsafeKey,
  Unusable,
} from "../table/model.js";
import { demandsOf } from "./demands.js";
import { catalogColumns, catalogConstraints, catalogEnums, catalogRelations, catalogRoutines } from "./statements.js";
import { type RowTrigger, setByTrigger } from "./trigger.js";

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

const checksIn = parserOf(v.array(v.object({ name: v.string(), definition: v.string() })), "[]");

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
    ...(row.folded === "true" ? { folded: true } : {}),
  };
}

/** Kinds whose equal values are written alike. */
const writtenAlike: readonly Kind[] = ["text", "integer", "boolean", "date", "enum", "uuid"];

/** A list's values as the column's are written: `1.5` of a `numeric(5,2)` is `1.50`. None where equal values may be written otherwise. */
function inFormOf(demand: CheckConstraint, columns: readonly Column[]): readonly CheckConstraint[] {
  const type = columns.find(({ name }) => name === demand.column)?.type;
  // What is the same as upper case is any text then, and a list has more values than it says.
  if (type?.folded && (demand.by === "in" || demand.values.length > 2)) return [];
  if (demand.by !== "in" || !type || writtenAlike.includes(type.kind)) return [demand];
  const { kind, scale } = type;
  if (kind !== "decimal" || scale === null || scale < 0 || !demand.values.every((value) => /^-?\d/.test(value)))
    return [];
  return [{ ...demand, values: demand.values.map((value) => new Big(value).toFixed(scale)) }];
}

interface TableInMaking {
  readonly relation: Row;
  readonly columns: Column[];
  /** What the columns' domains demand. */
  readonly demands: CheckConstraint[];
  readonly numbers: Map<number, string>;
  readonly triggers: readonly (RowTrigger & { readonly on_update: boolean })[];
  /** Whether a trigger may set a column before its row is written. */
  readonly isSet: (column: string) => boolean;
}

function setBy(triggers: readonly RowTrigger[]): (column: string) => boolean {
  const each = triggers.map(setByTrigger);
  const named = new Set(each.flatMap((names) => names ?? []));
  return each.includes(null) ? () => true : (column) => named.has(column);
}

function drafts(relations: readonly Row[], columns: readonly Row[], enums: readonly Row[]): Map<string, TableInMaking> {
  const labels = new Map<string, string[]>();
  for (const row of enums) {
    const list = labels.get(text(row, "type_id")) ?? [];
    list.push(text(row, "label"));
    labels.set(text(row, "type_id"), list);
  }
  const tables = new Map<string, TableInMaking>();
  for (const relation of relations) {
    if (!isTable(relation) || relation.select !== "true") continue;
    const triggers = triggersIn(relation.triggers);
    const made = { relation, columns: [], demands: [], numbers: new Map(), triggers, isSet: setBy(triggers) };
    tables.set(text(relation, "table_id"), made);
  }
  for (const row of columns) {
    // A table that was made between the two statements is read the next time.
    const draft = tables.get(text(row, "table_id"));
    if (!draft) continue;
    draft.numbers.set(Number(row.number), text(row, "column"));
    for (const { name, definition } of checksIn(row.checks))
      draft.demands.push(
        ...demandsOf(name, definition, ["VALUE"]).map((of) => ({ ...of, column: text(row, "column") })),
      );
    draft.columns.push({
      name: text(row, "column"),
      type: typeOf(row, labels),
      nullable: row.nullable === "true",
      default: row.identity === "true" ? "identity" : (row.default ?? null),
      written: row.always === "true" ? "always" : "freely",
      granted: { insert: row.insert === "true", update: row.update === "true" },
      comment: row.comment ?? null,
      // A domain's values are judged before any trigger sees them.
      ...(draft.isSet(text(row, "column")) && row.needed !== "true" ? { setByTrigger: true } : {}),
    });
  }
  return tables;
}

const isTable = (relation: Row): boolean => relation.kind === "r" || relation.kind === "p";

const constraintKinds: Readonly<Record<string, Constraint["kind"]>> = { u: "unique", c: "check", x: "exclusion" };
const onDelete: Readonly<Record<string, OnDelete>> = {
  a: "no action",
  r: "restrict",
  c: "cascade",
  n: "set null",
  d: "set default",
};

const indexedIn = parserOf(v.array(v.array(v.number())), "[]");
const rulesIn = parserOf(v.array(v.object({ name: v.string(), on: v.string() })), "[]");
const triggersIn = parserOf(
  v.array(
    v.object({
      function: v.string(),
      source: v.nullable(v.string()),
      arguments: v.array(v.string()),
      on_update: v.boolean(),
    }),
  ),
  "[]",
);
const widthsIn = parserOf(
  v.custom<Record<string, number>>((given) => typeof given === "object" && given !== null),
  "{}",
);

/** Column names of a JSON array of attribute numbers; empty where one is an expression (number 0). */
function named(draft: TableInMaking | undefined, numbers: string | null | undefined): string[] {
  const names = numbersIn(numbers).map((number) => draft?.numbers.get(number));
  return names.every((name) => name !== undefined) ? (names as string[]) : [];
}

const unsafeBecause: Readonly<Record<string, string>> = {
  deferrable: "it is deferrable, so two rows may have the same values for a while",
  partial: "it holds for a part of the rows only",
  expression: "it is on an expression, not on columns",
  inherited: "tables that inherit from this one are not bound by it",
  invalid: "its index is not valid: it was left half built",
};

/** Sorts a table's unique constraints and indexes into those that name at most one row and those that may not. */
function keysOf(draft: TableInMaking, rows: readonly Row[]): Pick<Table, "keys" | "unsafeKeys"> {
  const keys: Key[] = [];
  const unsafeKeys: UnsafeKey[] = [];
  for (const row of rows) {
    if (row.kind !== "p" && row.kind !== "u") continue;
    const columns = named(draft, row.columns);
    const constraint = text(row, "constraint");
    const nullable = columns.filter((name) => draft.columns.some((each) => each.name === name && each.nullable));
    const because =
      unsafeBecause[draft.relation.inherited === "true" ? "inherited" : text(row, "unsafe")] ??
      (nullable.length > 0 ? `${nullable.join(", ")} may be null` : null);
    if (because === null && columns.length > 0) keys.push({ constraint, columns, primary: row.kind === "p" });
    else unsafeKeys.push({ constraint, columns, because: because ?? "its columns can't be read" });
  }
  keys.sort((a, b) => Number(b.primary) - Number(a.primary) || a.columns.length - b.columns.length);
  return { keys, unsafeKeys };
}

function referencesOf(
  draft: TableInMaking,
  tables: ReadonlyMap<string, TableInMaking>,
  rows: readonly Row[],
): Reference[] {
  return rows.flatMap((row): Reference[] => {
    const target = tables.get(text(row, "to_table_id"));
    if (row.kind !== "f" || !target) return [];
    const { schema, table } = target.relation;
    return [
      {
        constraint: text(row, "constraint"),
        columns: named(draft, row.columns),
        to: { schema: schema ?? "", table: table ?? "", columns: named(target, row.to_columns) },
        onDelete: onDelete[text(row, "on_delete")] ?? "no action",
      },
    ];
  });
}

const dependentsOf = (
  id: string,
  draft: TableInMaking,
  tables: ReadonlyMap<string, TableInMaking>,
  rows: readonly Row[],
): Dependent[] =>
  rows.map((row) => ({
    constraint: text(row, "constraint"),
    schema: text(row, "schema"),
    table: text(row, "table"),
    columns: namesIn(row.names),
    to: named(draft, row.to_columns),
    onDelete: onDelete[text(row, "on_delete")] ?? "no action",
    readable: tables.has(text(row, "table_id")) || text(row, "table_id") === id,
  }));

function constrained(
  [id, draft]: readonly [string, TableInMaking],
  tables: ReadonlyMap<string, TableInMaking>,
  rows: readonly Row[],
  incoming: readonly Row[],
): Table {
  const { relation } = draft;
  const constraints = rows.flatMap((row): Constraint[] => {
    const kind = constraintKinds[text(row, "kind")];
    // A unique index that is no constraint of the whole table is judged by PostgreSQL alone.
    if (!kind || row.unsafe === "partial" || row.unsafe === "expression" || row.unsafe === "invalid") return [];
    const columns = named(draft, row.columns);
    return [{ constraint: text(row, "constraint"), kind, columns, definition: text(row, "definition") }];
  });
  const rowsEstimate = Number(relation.rows);
  return {
    schema: text(relation, "schema"),
    name: text(relation, "table"),
    comment: relation.comment ?? null,
    columns: draft.columns,
    ...keysOf(draft, rows),
    references: referencesOf(draft, tables, rows),
    dependents: dependentsOf(id, draft, tables, incoming),
    constraints,
    demands: [
      ...constraints.flatMap((each) =>
        each.kind === "check"
          ? demandsOf(each.constraint, each.definition, each.columns).filter(({ column }) => !draft.isSet(column))
          : [],
      ),
      ...draft.demands,
    ].flatMap((demand) => inFormOf(demand, draft.columns)),
    indexes: indexesOf(draft),
    trigrams: relation.has_trigrams === "true" ? namesIn(relation.trigrams) : null,
    ...(relation.widths ? { widths: widthsIn(relation.widths) } : {}),
    rows: rowsEstimate < 0 ? null : rowsEstimate,
    granted: {
      insert: relation.insert === "true",
      update: relation.update === "true",
      delete: relation.delete === "true",
    },
    rewriteRules: rewriteRulesOf(relation),
    ...(draft.triggers.some((each) => each.on_update) ? { triggersUpdates: true } : {}),
  };
}

/** The columns of each index that keeps the whole table in an order, in that order: those before an expression, where there is one. */
const indexesOf = (draft: TableInMaking): Table["indexes"] =>
  indexedIn(draft.relation.indexes).flatMap((numbers) => {
    const end = numbers.indexOf(0);
    const names = (end < 0 ? numbers : numbers.slice(0, end)).flatMap((number) => draft.numbers.get(number) ?? []);
    return names.length > 0 ? [names] : [];
  });

const notTables: Readonly<Record<string, Unusable["because"]>> = {
  v: "view",
  m: "materialized view",
  f: "foreign table",
};

function whyUnusable(row: Row): Unusable["because"] | undefined {
  if (!isTable(row)) return notTables[text(row, "kind")];
  if (row.select === "true") return undefined;
  if (row.usage !== "true") return "no schema";
  return row.some === "true" ? "some columns" : "no select";
}

const unusable = (relations: readonly Row[]): Unusable[] =>
  relations.flatMap((row): Unusable[] => {
    const because = whyUnusable(row);
    const behind = namesIn(row.behind);
    return because === undefined ? [] : [{ schema: text(row, "schema"), name: text(row, "table"), because, behind }];
  });

/** The events of `pg_rewrite.ev_type`. */
const events: Readonly<Record<string, Table["rewriteRules"][number]["on"]>> = { 2: "update", 3: "insert", 4: "delete" };

const rewriteRulesOf = (relation: Row): Table["rewriteRules"] =>
  rulesIn(relation.rules).flatMap(({ name, on }) => {
    const event = events[on];
    return event ? [{ name, on: event }] : [];
  });

const parametersIn = parserOf(
  v.array(v.object({ name: v.nullable(v.string()), mode: v.string(), shown: v.string(), cast: v.string() })),
  "[]",
);

function routineOf(row: Row): Routine {
  const parameters = parametersIn(row.parameters);
  const kind = row.kind === "p" ? "procedure" : "function";
  // What a function gives back (out, table) is no parameter of a call.
  const taken = parameters.filter(({ mode }) => kind === "procedure" || (mode !== "o" && mode !== "t"));
  const firstDefault = taken.length - Number(row.defaults);
  return {
    schema: text(row, "schema"),
    name: text(row, "name"),
    kind,
    parameters: taken.map(({ name, mode, shown, cast }, index) => ({
      name,
      type: { shown, cast },
      mode: mode === "v" ? "variadic" : mode === "o" ? "out" : "in",
      hasDefault: index >= firstDefault,
    })),
  };
}

const grouped = (rows: readonly Row[], by: string): Map<string, Row[]> => {
  const groups = new Map<string, Row[]>();
  for (const row of rows) {
    const group = groups.get(text(row, by));
    if (group) group.push(row);
    else groups.set(text(row, by), [row]);
  }
  return groups;
};

/**
 * Reads the model of a database: every table that the connection may select from, what else there is and why no page can be
 * made for it, and the routines that it may call. Schemas of PostgreSQL itself and `quill_log` are left out.
 *
 * @returns tables in the order of schema and name
 */
export async function readCatalog(database: Database): Promise<Catalog> {
  const [relations, columns, constraints, enums, routines] = await Promise.all([
    database.run(catalogRelations()),
    database.run(catalogColumns()),
    database.run(catalogConstraints()),
    database.run(catalogEnums()),
    database.run(catalogRoutines()),
  ]);
  const tables = drafts(relations, columns, enums);
  const own = grouped(constraints, "table_id");
  const incoming = grouped(
    constraints.filter((row) => row.kind === "f"),
    "to_table_id",
  );
  return {
    tables: [...tables].map((each) => constrained(each, tables, own.get(each[0]) ?? [], incoming.get(each[0]) ?? [])),
    unusable: unusable(relations),
    routines: routines.map(routineOf),
  };
}
