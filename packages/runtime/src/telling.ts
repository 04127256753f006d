import type { Told } from "@loyal-quill/core";
import pg from "pg";

/** The statement that tells PostgreSQL of a request: prepared once a connection, as its first. */
const tellName = "quill_tell";
const tellText =
  "SELECT set_config('quill.actor', $1, true), set_config('quill.page', $2, true), set_config('quill.request', $3, true), set_config('quill.trace', $4, true)";

/** Prepares a new connection for {@link TellingQuery}. */
export const prepareToTell = (client: pg.PoolClient): Promise<unknown> =>
  client.query({ name: tellName, text: tellText, values: ["", "", "", ""] });

/** What of the connection is used: messages of the extended query protocol (PostgreSQL documentation, 54.2.3). */
interface Messages {
  readonly stream: { cork(): void; uncork(): void };
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
    private readonly told: Told,
    callback: (error: Error | undefined, result: pg.QueryResult) => void,
  ) {
    // Without values or a name it would go as a simple query, in a transaction of its own.
    super({ ...config, queryMode: "extended" } as pg.QueryConfig);
    (this as unknown as { callback: typeof callback }).callback = callback;
  }

  prepare(connection: Messages): void {
    const { actor, page, request, trace = "" } = this.told;
    connection.bind({ portal: "", statement: tellName, values: [actor, page, request, trace] });
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
