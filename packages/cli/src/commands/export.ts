import { mkdir, readFile, writeFile } from "node:fs/promises";
import path from "node:path";
import { type CodeFile, exportPage } from "@loyal-quill/authoring/export";
import { readCatalog } from "@loyal-quill/core";
import { bindPageFiles } from "@loyal-quill/runtime";
import type { Say } from "../cluster/cluster.js";
import { CannotStart } from "../listen.js";
import { withDatabase } from "../open-database.js";
import { nameOf, ownKindsBeside, pageFilesIn } from "./check.js";

export interface ExportOptions {
  readonly database: string;
  /** Page files, directories of page files, and names of pages. */
  readonly files: readonly string[];
  /** The directory that the code goes to. */
  readonly to: string;
  /** Whether files that differ are written over. */
  readonly force: boolean;
}

const textOf = (file: string): Promise<string | null> =>
  readFile(file, "utf8").catch((error: NodeJS.ErrnoException) => {
    if (error.code === "ENOENT") return null;
    throw error;
  });

/** Writes the files of one page, all of them or none. @returns those that differ from what is there, where nothing was written */
async function write(files: readonly CodeFile[], { to, force }: ExportOptions): Promise<readonly string[]> {
  const there = await Promise.all(files.map(({ path: name }) => textOf(path.join(to, name))));
  const differing = files.filter(({ text }, index) => there[index] !== null && there[index] !== text);
  if (differing.length > 0 && !force) return differing.map(({ path: name }) => name);
  for (const { path: name, text } of files) {
    const file = path.join(to, name);
    await mkdir(path.dirname(file), { recursive: true });
    await writeFile(file, text);
  }
  return [];
}

/** `quill export`: pages as plain code. @returns the exit code: 1 where one of them can't be exported */
export async function exportFiles(options: ExportOptions, say: Say): Promise<number> {
  const paths = await pageFilesIn(options.files);
  await ownKindsBeside(paths);
  const named = await Promise.all(
    paths.map(async (file) => ({ name: nameOf(file), text: await readFile(file, "utf8") })),
  );
  const areAll = options.files.every((file) => !file.endsWith(".page.yaml"));
  const catalog = await withDatabase(options.database, readCatalog);
  const packages = new Set<string>();
  const types = new Set<string>();
  const left = new Set<string>();
  let failed = 0;
  for (const { name, page, findings } of bindPageFiles(named, catalog, areAll)) {
    const [error] = findings.filter(({ severity }) => severity === "error");
    const exported = page && !error ? await exportPage(page) : null;
    const because = exported ? exported.because : `it has an error: ${error?.message ?? "it can't be read"}`;
    if (!exported || because !== null) {
      say(`${name}: not exported, since ${because}.`);
      failed += 1;
      continue;
    }
    const differing = await write(exported.files, options);
    if (differing.length > 0)
      throw new CannotStart(
        `${differing.join(", ")} in ${options.to} would be written over. Nothing of ${name} was written: say --force, or another directory.`,
      );
    const lines = exported.files.filter(({ path: file }) => file.startsWith(`${name}/`) && !file.includes(".test."));
    const count = lines.reduce((sum, { text }) => sum + text.split("\n").length - 1, 0);
    say(`${name}: ${path.join(options.to, name)}, ${count} lines.`);
    for (const each of exported.packages) packages.add(each);
    for (const each of exported.types) types.add(each);
    for (const each of exported.left) left.add(each);
  }
  if (packages.size > 0) {
    say(
      `\nIt needs:\n  npm install ${[...packages].sort().join(" ")}\n  npm install --save-dev ${[...types].sort().join(" ")} tsx typescript`,
    );
    say(`\nDifferences from the served page:\n${[...left].map((each) => `- ${each}`).join("\n")}`);
  }
  return failed > 0 ? 1 : 0;
}
