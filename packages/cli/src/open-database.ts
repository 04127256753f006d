import { type Catalog, type Database, DatabaseAway, DatabaseRefusal, readCatalog } from "@loyal-quill/core";
import { connect, databaseOver } from "@loyal-quill/runtime";
import { secretOf } from "./from-environment.js";
import { CannotStart } from "./listen.js";

/** The address of a database, as told on the command line or by the environment; never with its password in a message. */
export function databaseUrl(told: string | undefined): string {
  const url = told ?? secretOf("DATABASE_URL");
  if (url !== undefined) return url;
  throw new CannotStart("Which database? Say --database postgresql://user@host:port/name, or set DATABASE_URL.");
}

/** A database's address for people: without user and password. */
export function shownUrl(url: string): string {
  try {
    const { host, pathname } = new URL(url);
    return `${host}${pathname}`;
  } catch {
    return "the database";
  }
}

/** Runs something over a database and closes the connections afterwards. */
export async function withDatabase<Result>(url: string, run: (database: Database) => Promise<Result>): Promise<Result> {
  const pool = connect(url, 5);
  try {
    return await run(databaseOver(pool));
  } catch (error) {
    // It is not there, or does not take this user (SQLSTATE classes 28 and 3D; of a pooler, 08): whoever named it can do something about that.
    const isNotOpen = error instanceof DatabaseRefusal && /^(08|28|3D)/.test(error.sqlState);
    if (!(error instanceof DatabaseAway || isNotOpen)) throw error;
    throw new CannotStart(`${shownUrl(url)} can't be reached: ${error.message}`);
  } finally {
    await pool.end();
  }
}

export const catalogOf = (url: string): Promise<Catalog> => withDatabase(url, readCatalog);
