import type { LogFinding } from "@loyal-quill/core";
import type pg from "pg";
import { connect, verifyLog } from "../index.js";
import type { Trips } from "./trips.js";

/** Connections of the owner of a test's database, with the pages' text forms. */
export function ownerPool({ owner }: Trips): pg.Pool {
  const { user, password, host, port, database } = owner;
  return connect(`postgresql://${user}:${password}@${host}:${port}/${database}`, 3);
}

/** What verifying the log finds. */
export async function findingsIn(pool: pg.Pool): Promise<readonly LogFinding[]> {
  const client = await pool.connect();
  try {
    return (await verifyLog(client)).findings;
  } finally {
    client.release();
  }
}
