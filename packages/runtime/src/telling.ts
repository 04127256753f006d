import type { Row, Told } from "@loyal-quill/core";
import pg from "pg";

/** Text forms that do not depend on the server's settings: ISO dates in UTC, exact floats, hexadecimal bytes. */
export const textForms = {
  timezone: "UTC",
  datestyle: "ISO,YMD",
  intervalstyle: "iso_8601",
  extra_float_digits: "1",
  bytea_output: "hex",
  standard_conforming_strings: "on",
} as const;

/** What gives one transaction these text forms, and as much time as it takes: for whoever reads a log whole. */
export const setLocally = `${Object.entries({
  ...textForms,
  statement_timeout: "0",
  idle_in_transaction_session_timeout: "0",
})
  .map(([name, value]) => `SET LOCAL ${name} = '${value}'`)
  .join("; ")}; SET LOCAL client_min_messages TO warning`;

/**
 * A column's value as PostgreSQL writes it. The parsers of `pg` are its process's: an application may have set its own, by which a
 * number would come back as something else.
 */
export const asText = { getTypeParser: () => (text: string | Buffer) => text } as unknown as pg.CustomTypesConfig;

const told = ["quill.actor", "quill.page", "quill.request", "quill.trace"];

/** A statement that says of itself that it takes long has so long, in milliseconds. */
export const slowStatement = 1_800_000;

/** What is told before each statement: who asks; on connections that are others' too, all that a statement relies on besides. */
export class Telling {
  private readonly fixed: readonly (readonly [name: string, value: string])[];
  /** Empty where the connection keeps no statements: then it is sent anew each time. */
  readonly name: string;
  readonly text: string;
  /** What the columns of the connection's prepared statements are called, by the statements' names. */
  private readonly columns = new Map<string, readonly string[]>();

  /**
   * @param settings what holds for this statement's transaction only, on a connection that others use as well
   * @param named whether the connection keeps prepared statements
   */
  constructor(settings: Readonly<Record<string, string>> | null, named: boolean) {
    this.fixed = Object.entries(settings ?? {});
    const names = [...told, ...this.fixed.map(([name]) => name)];
    this.name = named ? `quill_tell_${names.length}` : "";
    // None is ever null, so all are set; and no column of the answer has to be read.
    this.text = `SELECT WHERE ${names.map((name, index) => `set_config('${name}', $${index + 1}, true) IS NOT NULL`).join(" AND ")}`;
  }

  /** @param slow whether what follows may take long */
  values({ actor, page, request, trace = "" }: Told, slow = false): readonly string[] {
    const limit = String(slowStatement);
    return [
      actor,
      page,
      request,
      trace,
      ...this.fixed.map(([name, value]) => (slow && name === "statement_timeout" ? limit : value)),
    ];
  }

  /** Empty where they are not known. */
  columnsOf(name: string): readonly string[] {
    return this.columns.get(name) ?? [];
  }

  noteColumns(name: string, columns: readonly string[]): void {
    if (name !== "") this.columns.set(name, columns);
  }

  /** Prepares a new connection that keeps statements: its first one is this. */
  async prepare(client: pg.PoolClient): Promise<void> {
    if (this.name !== "")
      await client.query({ name: this.name, text: this.text, values: [...this.values(nobodyAsks)] });
  }
}

/** What is told where nobody asks: while catalogs are read, for one. */
export const nobodyAsks: Told = { actor: "", page: "", request: "" };

/** What of the connection is used: messages of the extended query protocol (PostgreSQL documentation, 54.2.3). */
interface Messages {
  /** What is prepared on it, by name. */
  readonly parsedStatements: Readonly<Record<string, string>>;
  parse(message: { name: string; text: string; types: readonly number[] }): void;
  bind(message: { portal: string; statement: string; values: readonly (string | null)[] }): void;
  describe(message: { type: "P"; name: string }): void;
  execute(message: { portal: string }): void;
  sync(): void;
}

/** What was asked for, in full: nothing of it is for `pg` to guess. */
interface Asked {
  readonly text: string;
  /** Empty where it is not to be kept prepared. */
  readonly name: string;
  readonly values: readonly (string | null)[];
}

type Callback = (error: Error | null, rows: readonly Row[]) => void;

/**
 * A query before which PostgreSQL is told of the request, in the same trip: both are sent up to one Sync, so they are one transaction, in
 * which the settings hold (PostgreSQL documentation, 54.2.3 and 9.28.1). Its own answer is left out.
 *
 * Every value comes back as PostgreSQL's text. What a prepared statement's columns are called is asked once a connection: where they became others,
 * PostgreSQL would refuse to run it (0A000, "cached plan must not change result type").
 */
export class TellingQuery extends pg.Query {
  private isTelling = true;
  private columns: readonly string[];
  private readonly rows: Row[] = [];

  constructor(
    private readonly asked: Asked,
    private readonly toldValues: readonly string[],
    private readonly before: Telling,
    private readonly callback: Callback,
  ) {
    super(asked.text);
    // Without values or a name it would go as a simple query, in a transaction of its own.
    Object.assign(this, { ...asked, queryMode: "extended" });
    this.columns = before.columnsOf(asked.name);
  }

  prepare(connection: Messages): void {
    const { name, text, values } = this.asked;
    if (this.before.name === "") connection.parse({ name: "", text: this.before.text, types: [] });
    connection.bind({ portal: "", statement: this.before.name, values: this.toldValues });
    connection.execute({ portal: "" });
    if (name === "" || connection.parsedStatements[name] === undefined) connection.parse({ name, text, types: [] });
    connection.bind({ portal: "", statement: name, values });
    if (this.columns.length === 0) connection.describe({ type: "P", name: "" });
    connection.execute({ portal: "" });
    connection.sync();
  }

  handleRowDescription({ fields }: { readonly fields: readonly { readonly name: string }[] }): void {
    this.columns = fields.map(({ name }) => name);
    this.before.noteColumns(this.asked.name, this.columns);
  }

  handleDataRow({ fields }: { readonly fields: readonly (string | null)[] }): void {
    if (this.isTelling) return;
    const row: { [column: string]: string | null } = {};
    for (let index = 0; index < this.columns.length; index++)
      row[this.columns[index] as string] = fields[index] ?? null;
    this.rows.push(row);
  }

  handleCommandComplete(): void {
    this.isTelling = false;
  }

  handleReadyForQuery(): void {
    this.callback(null, this.rows);
  }
}
