import type pg from "pg";

/** What every connection to the store and to the log's reader is held to: none is waited for without end, in milliseconds. */
export const connectionLimits = {
  query_timeout: 5000,
  connectionTimeoutMillis: 3000,
  keepAlive: true,
  keepAliveInitialDelayMillis: 10_000,
} as const;

/**
 * Ends a connection whose other end has fallen silent, so that the pool makes a new one: `pg` gives up waiting for the answer, but
 * would send the next query down the same connection.
 */
export function endWhenSilent(connection: pg.Client, done: (error: Error | null, connection: pg.Client) => void): void {
  const query = connection.query.bind(connection) as (...given: unknown[]) => unknown;
  const watched = (...given: unknown[]): unknown => {
    const callback = given.at(-1);
    if (typeof callback !== "function") return query(...given);
    return query(...given.slice(0, -1), (error: Error | null, result: unknown) => {
      // With a query still under way `end` destroys the socket at once.
      if (error && /read timeout/i.test(error.message)) void connection.end().catch(() => {});
      callback(error, result);
    });
  };
  connection.query = watched as pg.Client["query"];
  done(null, connection);
}
