import { mkdtemp, rm } from "node:fs/promises";
import os from "node:os";
import path from "node:path";
import { freshDatabase, type TestDatabase } from "@loyal-quill/testing";
import pg from "pg";
import { draft, installLog, serve } from "../index.js";

/** A database of given statements whose tables are drafted and served, as the commands do it. */
export interface DraftedDatabase {
  readonly made: TestDatabase;
  readonly owner: pg.Client;
  /** Of the page files. */
  readonly directory: string;
  /** What `quill draft --all` said. */
  readonly said: readonly string[];
  readonly address: string;
}

/** @param after takes what ends it again, to be run in reverse */
export async function drafted(sql: readonly string[], after: (() => Promise<unknown>)[]): Promise<DraftedDatabase> {
  const made = await freshDatabase("template0");
  after.push(made.drop);
  const owner = new pg.Client(made.owner);
  await owner.connect();
  after.push(() => owner.end());
  for (const statement of sql) await owner.query(statement);
  await installLog({ database: made.owner, roles: ["quill_pages"], now: new Date() }, () => {});
  const directory = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-drafts-"));
  after.push(() => rm(directory, { recursive: true }));
  const said: string[] = [];
  await draft({ database: made.pages, tables: undefined, to: directory }, (line) => said.push(line));
  const serving = await serve(
    {
      database: made.pages,
      pages: directory,
      store: undefined,
      port: undefined,
      host: "127.0.0.1",
      workbench: false,
      as: "Lotte Haas",
      roles: [],
      name: "Samples",
      signingKeys: undefined,
    },
    () => {},
  );
  after.push(serving.stop);
  return { made, owner, directory, said, address: serving.address };
}
