/**
 * The table model: what PostgreSQL's catalogs say of one table, as plain values.
 * Everything that the core knows about a database it knows from here.
 */

/** What a column's values are, as far as reading, showing and comparing them is concerned. */
export type Kind =
  | "text"
  | "integer"
  | "decimal"
  | "float"
  | "boolean"
  | "date"
  | "time"
  | "timestamp"
  | "timestamptz"
  | "uuid"
  | "enum"
  | "json"
  | "other";

export interface ColumnType {
  /** As `format_type` prints it, for people: `numeric(5,2)`, `character varying(40)`. */
  readonly shown: string;
  /** The type without its modifier, quoted and qualified, for a cast in a statement: `numeric`, `"network"."status"`. */
  readonly cast: string;
  readonly kind: Kind;
  /** Characters, for `varchar(n)` and `char(n)`. */
  readonly maxLength: number | null;
  /** Digits in all and digits after the point, for `numeric(p,s)`. */
  readonly precision: number | null;
  readonly scale: number | null;
  /** The labels of an enum in their order. */
  readonly labels: readonly string[];
  /** Whether texts that are written otherwise may be equal: its collation is not deterministic (PostgreSQL documentation, 24.2.2.4). */
  readonly folded?: true;
}

export interface Column {
  readonly name: string;
  readonly type: ColumnType;
  readonly nullable: boolean;
  /** The default's expression as PostgreSQL prints it. */
  readonly default: string | null;
  /** `always`: an identity or generated column that no statement may set. */
  readonly written: "freely" | "always";
  /** What the connection may do to the column. */
  readonly granted: { readonly insert: boolean; readonly update: boolean };
  readonly comment: string | null;
  /** Whether a trigger may give it another value before the row is written: what the table demands of it is judged by the table alone. */
  readonly setByTrigger?: true;
  /** Whether its values are files of a page: told by a stamp instead of themselves (see `values/stamp.ts`). */
  readonly stamped?: true;
  /** Whether its values are told to nobody: not in lists, records, histories, recorded requests or the change log. */
  readonly sensitive?: true;
}

/** A unique set of columns of which none is null: it names at most one row. */
export interface Key {
  readonly constraint: string;
  readonly columns: readonly string[];
  readonly primary: boolean;
}

/** A unique index or constraint that may name no row or several, and why. */
export interface UnsafeKey {
  readonly constraint: string;
  readonly columns: readonly string[];
  readonly because: string;
}

/** What becomes of the records that refer to one when it is deleted (ISO 9075-2, 4.18.3.3). */
export type OnDelete = "no action" | "restrict" | "cascade" | "set null" | "set default";

export interface Reference {
  readonly constraint: string;
  readonly columns: readonly string[];
  readonly to: { readonly schema: string; readonly table: string; readonly columns: readonly string[] };
  readonly onDelete: OnDelete;
}

/** A foreign key of another table, or of the table itself, that refers to this one. */
export interface Dependent {
  readonly constraint: string;
  readonly schema: string;
  readonly table: string;
  /** The columns that refer, and those that they refer to, pair by pair. */
  readonly columns: readonly string[];
  readonly to: readonly string[];
  readonly onDelete: OnDelete;
  /** Whether the connection may select from the table that refers. */
  readonly readable: boolean;
}

export interface Constraint {
  readonly constraint: string;
  readonly kind: "unique" | "check" | "exclusion";
  readonly columns: readonly string[];
  /** As `pg_get_constraintdef` prints it. */
  readonly definition: string;
}

/** What a CHECK can demand of one column: a range, that it is a multiple, a number of characters or bytes, a form, that it is not of blanks alone, one of several values. */
export type CheckedBy =
  | ">="
  | "<="
  | ">"
  | "<"
  | "step"
  | "characters >="
  | "characters <="
  | "bytes <="
  | "matches"
  | "not blank"
  | "in";

/** What the table's CHECK constraints demand of one column, as far as it was understood. */
export interface CheckConstraint {
  readonly constraint: string;
  readonly column: string;
  readonly by: CheckedBy;
  /** One bound; the values of the list; a pattern of RE2 for the whole value, how the table says it in words, and what is said where the value isn't of that form (see `rules/pattern.ts`). */
  readonly values: readonly string[];
}

export interface Table {
  readonly schema: string;
  readonly name: string;
  readonly comment: string | null;
  readonly columns: readonly Column[];
  /** Safe keys only, the primary key first. */
  readonly keys: readonly Key[];
  readonly unsafeKeys: readonly UnsafeKey[];
  readonly references: readonly Reference[];
  readonly dependents: readonly Dependent[];
  readonly constraints: readonly Constraint[];
  readonly demands: readonly CheckConstraint[];
  /** The columns by which an index keeps the table's rows in order, for each such index. */
  readonly indexes: readonly (readonly string[])[];
  /** The columns with an index of trigrams, which finds parts of words (PostgreSQL documentation, F.33); null where the extension is not there. */
  readonly trigrams: readonly string[] | null;
  /** The bytes of each column's values, as PostgreSQL samples them: of a large table only, whose indexes take time. */
  readonly widths?: Readonly<Record<string, number>>;
  /** How many rows PostgreSQL believes that it has; null where it was never counted. */
  readonly rows: number | null;
  readonly granted: { readonly insert: boolean; readonly update: boolean; readonly delete: boolean };
  /** Rules that rewrite statements on it (PostgreSQL documentation, 41.4); a view's own is not among them. */
  readonly rewriteRules: readonly { readonly name: string; readonly on: "insert" | "update" | "delete" }[];
  /** Whether a trigger looks at a row before it is updated, and may change it. */
  readonly triggersUpdates?: true;
}

/** A relation that no page can be made for, and why (told in words by `draft/obstacles.ts`). */
export interface Unusable {
  readonly schema: string;
  readonly name: string;
  readonly because: "view" | "materialized view" | "foreign table" | "no schema" | "some columns" | "no select";
  /** The relations that a view reads from, as `schema.name`. */
  readonly behind: readonly string[];
}

/** A function or procedure of the database that a save may call. */
export interface Routine {
  readonly schema: string;
  readonly name: string;
  readonly kind: "function" | "procedure";
  readonly parameters: readonly {
    /** Null where the routine gives it none. */
    readonly name: string | null;
    readonly type: Pick<ColumnType, "shown" | "cast">;
    readonly mode: "in" | "out" | "variadic";
    readonly hasDefault: boolean;
  }[];
}

/** Everything that the core knows of a database. */
export interface Catalog {
  readonly tables: readonly Table[];
  readonly unusable: readonly Unusable[];
  readonly routines: readonly Routine[];
}

/** `schema.name`, the form in which page files name a table. */
export const tableName = (table: { schema: string; name: string }): string => `${table.schema}.${table.name}`;

/** The columns of each table by name: a table never changes, another state of it is another one. */
const columnsByName = new WeakMap<Table, ReadonlyMap<string, Column>>();

/** The column of that name, or undefined. */
export function columnOf(table: Table, name: string): Column | undefined {
  let columns = columnsByName.get(table);
  if (!columns) {
    columns = new Map(table.columns.map((column) => [column.name, column]));
    columnsByName.set(table, columns);
  }
  return columns.get(name);
}
