import { existsSync } from "node:fs";
import { readdir, readFile, stat } from "node:fs/promises";
import path from "node:path";
import { reviewAgainstRows } from "@loyal-quill/authoring";
import { byPlace, readCatalog } from "@loyal-quill/core";
import { bindPageFiles, loadOwnKinds, OwnCodeError } from "@loyal-quill/runtime";
import { importTypeScript } from "@loyal-quill/server/typescript";
import { CannotStart } from "../listen.js";
import { withDatabase } from "../open-database.js";
import { type CheckedFile, type Format, reports } from "../report/index.js";

interface CheckOptions {
  readonly database: string;
  /** Page files, directories of page files, and names of pages whose files stand in pages/. */
  readonly files: readonly string[];
  readonly format: Format;
  /** Whether the stored rows are looked at as well. */
  readonly rows: boolean;
}

const ending = ".page.yaml";

async function filesIn(told: string): Promise<string[]> {
  try {
    if (!(await stat(told)).isDirectory()) return [told];
    const names = await readdir(told);
    return names
      .filter((name) => name.endsWith(ending))
      .sort()
      .map((name) => path.join(told, name));
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== "ENOENT") throw error;
    if (!/^[a-z0-9-]+$/.test(told)) throw new CannotStart(`There is no file or directory ${told}.`);
    const named = path.join("pages", `${told}${ending}`);
    if (existsSync(named)) return [named];
    throw new CannotStart(`There is no file or directory ${told}, and no page file ${named}.`);
  }
}

/** The name of a page, by its file. */
export const nameOf = (file: string): string => path.basename(file).replace(/\.page\.yaml$/, "");

/** The page files that were named, those in directories included. @throws CannotStart where there is none */
export async function pageFilesIn(files: readonly string[]): Promise<readonly string[]> {
  const paths = (await Promise.all(files.map(filesIn))).flat();
  if (paths.length === 0) throw new CannotStart(`There is no page file (NAME${ending}) in ${files.join(", ")}.`);
  return paths;
}

/** Adds the rules and controls that stand beside page files, which name them. @throws CannotStart where they can't be used */
export async function ownKindsBeside(files: readonly string[]): Promise<void> {
  try {
    for (const directory of new Set(files.map((file) => path.dirname(file))))
      await loadOwnKinds(directory, importTypeScript);
  } catch (error) {
    if (error instanceof OwnCodeError) throw new CannotStart(error.message);
    throw error;
  }
}

/** Reviews page files held against a database: each file with what was found, by place. */
export async function checkFiles(options: Omit<CheckOptions, "format">): Promise<readonly CheckedFile[]> {
  const paths = await pageFilesIn(options.files);
  const texts = await Promise.all(paths.map((file) => readFile(file, "utf8")));
  await ownKindsBeside(paths);
  return withDatabase(options.database, async (database) => {
    const catalog = await readCatalog(database);
    const named = paths.map((file, index) => ({
      name: nameOf(file),
      text: texts[index] ?? "",
    }));
    // Files that were named one by one may be some of many.
    const areAll = options.files.every((file) => !file.endsWith(ending));
    const bound = bindPageFiles(named, catalog, areAll);
    const checked: CheckedFile[] = [];
    for (const [index, { page, parsed, findings }] of bound.entries()) {
      const more = options.rows && page && parsed ? await reviewAgainstRows(page, parsed, database) : [];
      checked.push({ file: paths[index] ?? "", findings: [...findings, ...more].sort(byPlace) });
    }
    return checked;
  });
}

/** `quill check`: the review. @returns the exit code: 1 where there is an error */
export async function check(options: CheckOptions, write: (text: string) => void): Promise<number> {
  const checked = await checkFiles(options);
  write(reports[options.format](checked));
  return checked.some(({ findings }) => findings.some((finding) => finding.severity === "error")) ? 1 : 0;
}
