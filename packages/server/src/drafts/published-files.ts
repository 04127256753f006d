import { readdir, readFile, rename, rm, writeFile } from "node:fs/promises";
import path from "node:path";
import type { Store } from "../store/store.js";

const ending = ".page.yaml";

/**
 * Makes the page files of a directory those that were last published, as the store has them: so that a machine needs no files of its own.
 *
 * @param directory nobody else's: page files that were never published are removed
 */
export async function writePublished(store: Pick<Store, "lastVersions">, directory: string): Promise<void> {
  const published = new Map<string, string>(
    (await store.lastVersions()).flatMap(({ page, text }) =>
      text === null ? [] : [[`${page}${ending}`, text] as const],
    ),
  );
  const there = (await readdir(directory)).filter((name) => name.endsWith(ending));
  for (const name of there) if (!published.has(name)) await rm(path.join(directory, name), { force: true });
  for (const [name, text] of published) {
    const file = path.join(directory, name);
    if ((await readFile(file, "utf8").catch(() => null)) === text) continue;
    // In one move: a file that is half written would be read.
    await writeFile(`${file}.tmp`, text);
    await rename(`${file}.tmp`, file);
  }
}
