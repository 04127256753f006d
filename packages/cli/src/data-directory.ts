import { createHash } from "node:crypto";
import path from "node:path";
import { fileURLToPath } from "node:url";
import type { Say } from "./cluster/cluster.js";
import { barrier } from "./cluster/run-as.js";
import { CannotStart } from "./listen.js";

const here = fileURLToPath(import.meta.url);
/** The clone that this is a part of; where it was installed as a package, the directory that it was started in. */
const project = here.includes(`${path.sep}node_modules${path.sep}`)
  ? process.cwd()
  : path.resolve(path.dirname(here), "../../..");

/** Where the demo's data lie: as told, or `.data` in the project; as root where the database's own user can reach it. */
export async function dataDirectory(told: string | undefined, say: Say): Promise<string> {
  const wanted = path.resolve(told ?? path.join(project, ".data"));
  const closed = await barrier(path.join(wanted, "cluster"));
  if (closed === undefined) return wanted;
  if (told !== undefined)
    throw new CannotStart(
      `The database's user can't enter ${closed}. Choose another --data directory, or open that one with: chmod o+x ${closed}`,
    );
  const other = path.join("/var/lib/loyal-quill", createHash("sha256").update(project).digest("hex").slice(0, 10));
  say(`The database's user can't enter ${closed}, so the data go to ${other}.`);
  return other;
}
