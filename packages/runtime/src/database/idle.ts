import type pg from "pg";

/** What of `pg` is not in its types. */
interface Wire {
  readonly connection?: {
    on?(event: "readyForQuery", heard: (message: { readonly status?: string }) => void): void;
  };
}

/** How each connection stood when PostgreSQL last was ready: `I` idle, `T` in a transaction, `E` in one that has failed (protocol documentation, 55.7). */
const statuses = new WeakMap<pg.ClientBase, string>();

/** Hears from now on how a connection stands. What `pg` is built on in C does not tell. */
export function listenToStatus(client: pg.ClientBase): void {
  if (statuses.has(client)) return;
  statuses.set(client, "I");
  (client as Wire).connection?.on?.("readyForQuery", ({ status = "I" }) => void statuses.set(client, status));
}

/** Whether no transaction is open on a connection. */
export const isIdle = (client: pg.ClientBase): boolean => (statuses.get(client) ?? "I") === "I";

/** A connection that somebody gave back to their pool in the middle of a transaction: what is sent on it could be rolled back with that. */
export class LeftOpen extends Error {
  override readonly name = "LeftOpen";

  constructor() {
    super(
      'A connection came back to your pool in the middle of a transaction. The pages did not use it and closed it, so PostgreSQL has rolled that transaction back. Look for a BEGIN without its COMMIT or ROLLBACK, as after an exception, and for pool.query("BEGIN"): a transaction needs one client of pool.connect() from its beginning to its end.',
    );
  }
}
