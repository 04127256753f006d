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
}

export interface Column {
  readonly name: string;
  readonly type: ColumnType;
  readonly nullable: boolean;
  /** The default's expression as PostgreSQL prints it. */
  readonly default: string | null;
  /** `always`: an identity or generated column that no statement may set. */
  readonly written: "freely" | "always";
  readonly comment: string | null;
}

/** A unique set of columns of which none is null: it names at most one row. */
export interface Key {
  readonly constraint: string;
  readonly columns: readonly string[];
  readonly primary: boolean;
}

export interface Reference {
  readonly constraint: string;
  readonly columns: readonly string[];
  readonly to: { readonly schema: string; readonly table: string; readonly columns: readonly string[] };
}

export interface Constraint {
  readonly constraint: string;
  readonly kind: "unique" | "check" | "exclusion";
  readonly columns: readonly string[];
  /** As `pg_get_constraintdef` prints it. */
  readonly definition: string;
}

export interface Table {
  readonly schema: string;
  readonly name: string;
  readonly comment: string | null;
  readonly columns: readonly Column[];
  /** Safe keys only, the primary key first. */
  readonly keys: readonly Key[];
  readonly references: readonly Reference[];
  readonly constraints: readonly Constraint[];
}

/** `schema.name`, the form in which page files name a table. */
export const tableName = (table: { schema: string; name: string }): string => `${table.schema}.${table.name}`;

/** The column of that name, or undefined. */
export const columnOf = (table: Table, name: string): Column | undefined =>
  table.columns.find((column) => column.name === name);
