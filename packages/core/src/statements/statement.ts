/** A value on its way to or from the database: PostgreSQL's text form, or null. */
export type Stored = string | null;

/** One row as the database answered it: every value in PostgreSQL's text form. */
export type Row = Readonly<Record<string, Stored>>;

/** A statement with its parameters, ready to be sent. Only files in `statements/` and `condition/to-sql.ts` write SQL. */
export interface Statement {
  /** What the statement is for, in a word: shown in a recorded request. */
  readonly purpose: string;
  readonly text: string;
  readonly values: readonly Stored[];
}

/**
 * The database as the core sees it, handed in by the runtime.
 *
 * `run` sends one statement and answers its rows. It rejects with a {@link DatabaseRefusal} when the database refused the
 * statement, and with {@link DatabaseAway} when it could not be reached or the connection was lost.
 */
export interface Database {
  run(statement: Statement): Promise<readonly Row[]>;
  /** Runs several statements as one transaction: all of them, or, where anything is thrown, none. */
  transact<Result>(run: (database: Database) => Promise<Result>): Promise<Result>;
}

/** What PostgreSQL said when it refused a statement: the fields of its error message (protocol documentation, 55.8). */
export class DatabaseRefusal extends Error {
  constructor(
    readonly sqlState: string,
    message: string,
    readonly constraint: string | null = null,
    readonly column: string | null = null,
  ) {
    super(message);
    this.name = "DatabaseRefusal";
  }
}

/** The database could not be reached, or the connection was lost on the way. */
export class DatabaseAway extends Error {
  override readonly name = "DatabaseAway";
}

/** An identifier, quoted by SQL's rule (ISO 9075-2, 5.2 delimited identifier): always in quotes, quotes doubled. */
export const quoted = (identifier: string): string => `"${identifier.replaceAll('"', '""')}"`;

/** `"schema"."name"`. */
export const quotedTable = (table: { schema: string; name: string }): string =>
  `${quoted(table.schema)}.${quoted(table.name)}`;

/** Collects parameters while a statement is written: `add` answers the placeholder. */
export class Parameters {
  readonly values: Stored[] = [];

  /** Adds a value and answers its placeholder with a cast, e.g. `$3::numeric`. */
  add(value: Stored, cast: string): string {
    this.values.push(value);
    return `$${this.values.length}::${cast}`;
  }
}
