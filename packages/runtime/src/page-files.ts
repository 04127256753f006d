import { createHash } from "node:crypto";
import { type FSWatcher, watch } from "node:fs";
import { readdir, readFile } from "node:fs/promises";
import path from "node:path";
import {
  bindPage,
  type Catalog,
  type Database,
  type Finding,
  type Page,
  parsePage,
  readCatalog,
  type Site,
} from "@loyal-quill/core";

/** A page file as it lies on disk, with what was found in it. */
export interface PageFileState {
  /** The file's name without `.page.yaml`. */
  readonly name: string;
  readonly text: string;
  /** Null where the findings hold an error: then the page is not served. */
  readonly page: Page | null;
  readonly findings: readonly Finding[];
}

/** What is on disk and in the catalogs, bound together. */
export interface Loaded extends Site {
  readonly files: readonly PageFileState[];
  readonly catalog: Catalog;
}

const ending = ".page.yaml";

/** The address's fixed segments, as far as they can be read from a file that has errors. */
const segmentsIn = (text: string): string[] => {
  const written = /^path:\s*["']?(\/[^\s"'{]+)/m.exec(text)?.[1] ?? "";
  return written.split("/").filter((segment) => segment !== "");
};

function stateOf(name: string, text: string, catalog: Catalog): PageFileState {
  const parsed = parsePage(text);
  if (!parsed.ok) return { name, text, page: null, findings: parsed.findings };
  const table = catalog.tables.find((each) => `${each.schema}.${each.name}` === parsed.page.file.record.table);
  const version = createHash("sha256")
    .update(text)
    .update(JSON.stringify(table ? { ...table, rows: null } : null))
    .digest("hex")
    .slice(0, 12);
  return { name, text, ...bindPage(name, version, parsed.page, catalog) };
}

/** Two pages at one address: the first by name is served, the other says so. */
function withoutClashes(files: readonly PageFileState[]): PageFileState[] {
  const taken = new Map<string, string>();
  return files.map((file) => {
    if (!file.page) return file;
    const other = taken.get(file.page.path.list);
    if (other === undefined) {
      taken.set(file.page.path.list, file.name);
      return file;
    }
    const message = `The address ${file.page.path.list} is already that of the page ${other}.`;
    return {
      ...file,
      page: null,
      findings: [...file.findings, { severity: "error", code: "address-taken", message, line: 1, column: 1 }],
    };
  });
}

/** Reads every page file of a directory and binds it to the tables. */
export async function loadPageFiles(directory: string, database: Database): Promise<Loaded> {
  const [names, catalog] = await Promise.all([readdir(directory), readCatalog(database)]);
  const wanted = names.filter((name) => name.endsWith(ending)).sort();
  const texts = await Promise.all(wanted.map((name) => readFile(path.join(directory, name), "utf8")));
  const files = withoutClashes(
    wanted.map((name, index) => stateOf(name.slice(0, -ending.length), texts[index] ?? "", catalog)),
  );
  const pages = files.flatMap((file) => file.page ?? []);
  const unsound = files.flatMap((file) => {
    const listSegments = segmentsIn(file.text);
    return file.page || listSegments.length === 0 ? [] : [{ name: file.name, listSegments }];
  });
  return { files, catalog, pages, unsound };
}

/** Calls back a moment after anything in the directory has changed. */
export function watchPageFiles(directory: string, changed: () => void): FSWatcher {
  let timer: NodeJS.Timeout | undefined;
  return watch(directory, () => {
    clearTimeout(timer);
    timer = setTimeout(changed, 80);
  });
}
