import type { Told } from "@loyal-quill/core";
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

  /**
   * @param settings what holds for this statement's transaction only, on a connection that others use as well
   * @param named whether the connection keeps prepared statements
   */
  constructor(settings: Readonly<Record<string, string>> | null, named: boolean) {
    this.fixed = Object.entries(settings ?? {});
    const names = [...told, ...this.fixed.map(([name]) => name)];
    this.name = named ? `quill_tell_${names.length}` : "";
    this.text = `SELECT ${names.map((name, index) => `set_config('${name}', $${index + 1}, true)`).join(", ")}`;
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
  readonly stream: { cork(): void; uncork(): void };
  parse(message: { name: string; text: string; types: readonly number[] }): void;
  bind(message: { portal: string; statement: string; values: readonly string[] }): void;
  execute(message: { portal: string }): void;
}

/** What `pg`'s own query does, as far as it is gone beyond: its types leave it out. */
interface Handling {
  prepare(connection: Messages): void;
  handleDataRow(message: unknown): void;
  handleCommandComplete(message: unknown, connection: unknown): void;
}

const handling = pg.Query.prototype as unknown as Handling;

/**
 * A query before which PostgreSQL is told of the request, in the same trip: both are sent up to one Sync, so they are one transaction, in
 * which the settings hold (PostgreSQL documentation, 54.2.3 and 9.28.1). Its own answer is left out.
 */
export class TellingQuery extends pg.Query {
  private telling = true;

  constructor(
    config: pg.QueryConfig,
    private readonly toldValues: readonly string[],
    private readonly before: Telling,
    callback: (error: Error | undefined, result: pg.QueryResult) => void,
  ) {
    // Without values or a name it would go as a simple query, in a transaction of its own.
    super({ ...config, queryMode: "extended" } as pg.QueryConfig);
    (this as unknown as { callback: typeof callback }).callback = callback;
  }

  prepare(connection: Messages): void {
    if (this.before.name === "") connection.parse({ name: "", text: this.before.text, types: [] });
    connection.bind({ portal: "", statement: this.before.name, values: this.toldValues });
    connection.execute({ portal: "" });
    handling.prepare.call(this, connection);
  }

  handleDataRow(message: unknown): void {
    if (!this.telling) handling.handleDataRow.call(this, message);
  }

  handleCommandComplete(message: unknown, connection: unknown): void {
    if (this.telling) this.telling = false;
    else handling.handleCommandComplete.call(this, message, connection);
  }
}
