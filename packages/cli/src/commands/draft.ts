import { mkdir, writeFile } from "node:fs/promises";
import path from "node:path";
import { type DraftedPage, draftPages, type Undraftable } from "@loyal-quill/authoring";
import { quill } from "../called.js";
import type { Say } from "../cluster/cluster.js";
import { CannotStart } from "../listen.js";
import { catalogOf } from "../open-database.js";

interface DraftOptions {
  readonly database: string;
  /** Undefined for all tables. */
  readonly tables: readonly string[] | undefined;
  /** The directory that the files go to; undefined shows them instead. */
  readonly to: string | undefined;
}

/** Writes a draft where there is no file yet. @returns whether there was one */
async function keep(directory: string, { name, text }: DraftedPage): Promise<boolean> {
  try {
    await writeFile(path.join(directory, `${name}.page.yaml`), text, { flag: "wx" });
    return true;
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === "EEXIST") return false;
    throw error;
  }
}

const aligned = (rows: readonly (readonly [string, string])[]): string[] => {
  const width = Math.max(0, ...rows.map(([first]) => first.length));
  return rows.map(([first, second]) => `  ${first.padEnd(width)}  ${second}`);
};

function reportWarnings(drafts: readonly DraftedPage[], say: Say): void {
  const warnings = drafts.flatMap(({ name, warnings: said }) => said.map((each) => `  ${name}  warning  ${each}`));
  if (warnings.length === 0) return;
  say("");
  for (const line of warnings) say(line);
}

function reportWithout(without: readonly Undraftable[], say: Say): void {
  if (without.length === 0) return;
  say("");
  say("Without a page:");
  for (const line of aligned(without.map(({ table, because }) => [table, because]))) say(line);
}

/** `quill draft`: page files from tables. @returns the exit code */
export async function draft({ database, tables, to }: DraftOptions, say: Say): Promise<number> {
  const catalog = await catalogOf(database);
  const { drafts, without } = draftPages(catalog, tables);
  const missing = (tables ?? []).filter(
    (name) =>
      ![...drafts, ...without].some(({ table }) => table === name || table.split(".").slice(1).join(".") === name),
  );
  if (missing.length > 0)
    throw new CannotStart(
      `There is no table ${missing.join(", ")} that this connection may read. Names are written schema.table.`,
    );
  if (to === undefined) {
    for (const { text } of drafts) say(text);
    reportWarnings(drafts, (line) => process.stderr.write(`${line}\n`));
    reportWithout(without, (line) => process.stderr.write(`${line}\n`));
    return drafts.length > 0 ? 0 : 1;
  }
  await mkdir(to, { recursive: true });
  const kept: DraftedPage[] = [];
  const written: (readonly [string, string])[] = [];
  for (const each of drafts) {
    const file = path.join(to, `${each.name}.page.yaml`);
    if (await keep(to, each)) written.push([file, `${each.table}, key ${each.key.join(", ")}`]);
    else kept.push(each);
  }
  for (const line of aligned(written)) say(line);
  if (kept.length > 0) {
    say("");
    say("Already there, and left as it is:");
    for (const line of aligned(kept.map((each) => [path.join(to, `${each.name}.page.yaml`), each.table]))) say(line);
  }
  reportWarnings(drafts, say);
  reportWithout(without, say);
  say("");
  say(`${written.length} page ${written.length === 1 ? "file" : "files"} written to ${to}.`);
  if (written.length > 0) say(`To serve them on this machine: ${quill} serve --pages ${to} --as NAME`);
  return drafts.length > 0 ? 0 : 1;
}
