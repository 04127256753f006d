import { randomUUID } from "node:crypto";
import { readdir, readFile, rename, rm, writeFile } from "node:fs/promises";
import path from "node:path";
import type { Store } from "../store/store.js";

const ending = ".page.yaml";

/**
 * Makes the page files of a directory those that were last published, as the store has them: so that a machine needs no files of its own.
 *
 * @param directory nobody else's: page files that were never published are removed
 */
export async function writePublished(
  store: { readonly versions: Pick<Store["versions"], "last"> },
  directory: string,
): Promise<void> {
  const published = new Map<string, string>(
    (await store.versions.last()).flatMap(({ page, text }) =>
      text === null ? [] : [[`${page}${ending}`, text] as const],
    ),
  );
  const there = (await readdir(directory)).filter((name) => name.endsWith(ending));
  for (const name of there)
    if (!published.has(name)) await rm(path.join(directory, name), { force: true, recursive: true });
  for (const [name, text] of published) {
    const file = path.join(directory, name);
    if ((await readFile(file, "utf8").catch(() => null)) === text) continue;
    // In one move, from a name that nobody else has: a file that is half written would be read.
    const beside = path.join(directory, `.${name}.${randomUUID()}.tmp`);
    try {
      await writeFile(beside, text, { flag: "wx" });
      await rename(beside, file);
    } finally {
      await rm(beside, { force: true });
    }
  }
}

/** How long it is waited after a run that failed, in milliseconds. */
const wait = 1000;

/**
 * Brings what was published, one run at a time: what is published during a run is brought by the next one, and a run that failed is run again. What the
 * newest run brought is what is there.
 */
export class PublishedFiles {
  private under: Promise<void> | undefined;
  private isWanted = false;
  private isClosed = false;
  private wake: () => void = () => {};

  constructor(
    private readonly run: () => Promise<void>,
    private readonly onError: (error: unknown) => void,
    private readonly retryAfter = wait,
  ) {}

  /** @returns once what is published now is brought, or it was closed */
  bring(): Promise<void> {
    this.isWanted = true;
    this.under ??= this.runAll().finally(() => {
      this.under = undefined;
    });
    return this.under;
  }

  private async runAll(): Promise<void> {
    while (this.isWanted && !this.isClosed) {
      this.isWanted = false;
      try {
        await this.run();
      } catch (error) {
        this.onError(error);
        this.isWanted = true;
        await new Promise<void>((resolve) => {
          this.wake = resolve;
          setTimeout(resolve, this.retryAfter).unref();
        });
      }
    }
  }

  async close(): Promise<void> {
    this.isClosed = true;
    this.wake();
    await this.under;
  }
}
