import { type Catalog, type Database, DatabaseAway, DatabaseRefusal, readCatalog } from "@loyal-quill/core";
import { connect, databaseOver } from "@loyal-quill/runtime";
import { shownUrl } from "./from-environment.js";
import { CannotStart } from "./listen.js";

/** How long a connection is waited for, in milliseconds: nobody else waits meanwhile, and a machine may be busy. */
const patience = 15_000;

/** Runs something over a database and closes the connections afterwards. */
export async function withDatabase<Result>(url: string, run: (database: Database) => Promise<Result>): Promise<Result> {
  const pool = connect(url, 5, patience);
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
