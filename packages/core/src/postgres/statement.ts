/** A value on its way to or from the database: PostgreSQL's text form, or null. */
export type Stored = string | null;

/** One row as the database answered it: every value in PostgreSQL's text form. */
export type Row = Readonly<Record<string, Stored>>;

/** What a transaction is for. */
export type TransactionPurpose = "reading" | "writing" | "trial";

/** What PostgreSQL is told of a request, as settings of the transaction: `quill.actor`, `quill.page` and `quill.request`. */
export interface Told {
  readonly actor: string;
  readonly page: string;
  readonly request: string;
  /** The trace that the request is part of; empty where none is known. */
  readonly trace?: string;
}

/** A statement with its parameters, ready to be sent. Only files in `statements/` and `condition/to-sql.ts` write SQL. */
export interface Statement {
  /** What the statement is for, in a word: shown in a recorded request. */
  readonly purpose: string;
  readonly text: string;
  readonly values: readonly Stored[];
  /** Whether it writes: such a statement may wait for others' locks, so it gets no more than a share of the connections. */
  readonly writes?: true;
  /** Whether it may take much longer than a request can wait, as a count over a whole table does. */
  readonly slow?: true;
  /** At most so many milliseconds, where it may take less than others; then it is one that took too long. Not inside of a transaction. */
  readonly within?: number;
  /** Whether the best way to run it depends on its values, as a search's does: PostgreSQL then plans it each time. */
  readonly plannedAnew?: true;
  /** Whether values come back as the driver's types instead of PostgreSQL's text form: for statements of a developer's own. */
  readonly typed?: true;
  /** Says that nobody waits for it any more; only whoever sends it knows what this is (with `runtime`, an AbortSignal or its `Waiting`). */
  readonly signal?: unknown;
  /** Whether it must be the first of its transaction, so that nothing is told before it. */
  readonly first?: true;
  /** Told to PostgreSQL in the same trip, for its triggers and for row level security. */
  readonly told?: Told;
}

/**
 * The database as the core sees it, handed in by the runtime.
 *
 * `run` sends one statement and answers its rows. It rejects with a {@link DatabaseRefusal} when the database refused the
 * statement, and with {@link DatabaseAway} when it could not be reached or the connection was lost.
 */
export interface Database {
  /** The standby by which what was last run was answered; left out where it was the primary, or that is not known. */
  readonly standby?: string | undefined;
  run(statement: Statement): Promise<readonly Row[]>;
  /**
   * Runs several statements as one transaction: all of them, or, where anything is thrown, none.
   *
   * @param purpose `writing` where it is left out; of a `trial`, which is rolled back, nothing is left on the connection either that a rollback does
   *   not take back, like a lock of the session
   */
  transaction<Result>(run: (database: Database) => Promise<Result>, purpose?: TransactionPurpose): Promise<Result>;
}

/** What a refusal is about, as far as PostgreSQL says so; null where it does not. */
interface RefusalSubject {
  readonly constraint: string | null;
  readonly column: string | null;
  /** The table that it concerns: not always that of the statement, since a trigger may write elsewhere. */
  readonly table: { readonly schema: string; readonly name: string } | null;
  /** Whether it was raised inside a function of the database, as a trigger's is, and not by the statement itself. */
  readonly inside: boolean;
  /** Whether it is about the change log: raised in one of its functions, or for want of it. */
  readonly ofLog: boolean;
}

/** What PostgreSQL said when it refused a statement: the fields of its error message (protocol documentation, 55.8). */
export class DatabaseRefusal extends Error implements RefusalSubject {
  readonly constraint: string | null;
  readonly column: string | null;
  readonly table: RefusalSubject["table"];
  readonly inside: boolean;
  readonly ofLog: boolean;

  constructor(
    readonly sqlState: string,
    message: string,
    { constraint = null, column = null, table = null, inside = false, ofLog = false }: Partial<RefusalSubject> = {},
  ) {
    super(message);
    this.name = "DatabaseRefusal";
    this.constraint = constraint;
    this.column = column;
    this.table = table;
    this.inside = inside;
    this.ofLog = ofLog;
  }
}

/**
 * The database could not be reached, or the connection was lost on the way. Where a statement was sent before it was lost, nobody
 * knows yet whether it took effect.
 */
export class DatabaseAway extends Error {
  override readonly name = "DatabaseAway";

  constructor(
    message: string,
    /** Whether the statement may have reached the database. */
    readonly sent: boolean,
    options?: ErrorOptions,
  ) {
    super(message, options);
  }
}

/** An identifier, quoted by SQL's rule (ISO 9075-2, 5.2 delimited identifier): always in quotes, quotes doubled. */
export const quoted = (identifier: string): string =>
  identifier.includes('"') ? `"${identifier.replaceAll('"', '""')}"` : `"${identifier}"`;

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
