import path from "node:path";
import { postgresBinaries } from "../cluster/binaries.js";
import { runningPort } from "../cluster/cluster.js";
import { dataDirectory } from "../data-directory.js";
import { CannotStart } from "../listen.js";
import { archiveDatabase, demoDatabase } from "../provision.js";
import { secretsOf } from "../secrets.js";

interface DemoUrlOptions {
  /** Undefined: where `npm start` has them. */
  readonly directory: string | undefined;
  /** The owner of the tables, in the place of the user who serves pages. */
  readonly owner: boolean;
  /** The demo's second database. */
  readonly archive: boolean;
}

/**
 * The address of the running demo's database, for other commands: `export DATABASE_URL=$(quill demo url)`.
 *
 * @throws CannotStart where the demo does not run
 */
export async function demoUrl({ directory: told, owner, archive }: DemoUrlOptions): Promise<string> {
  const directory = await dataDirectory(told, () => {});
  const binaries = postgresBinaries();
  const port = binaries && (await runningPort(binaries, path.join(directory, "postgres", "cluster")));
  if (port === undefined)
    throw new CannotStart(`No demo runs on ${directory}. Start it with npm start, and ask again in another terminal.`);
  const secrets = await secretsOf(directory);
  const url = new URL(`postgresql://127.0.0.1:${port}/${archive ? archiveDatabase : demoDatabase}`);
  url.username = owner ? "vale_owner" : "quill_pages";
  url.password = owner ? secrets.owner : secrets.pages;
  return url.href;
}
