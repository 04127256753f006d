import { createHash } from "node:crypto";
import { type FSWatcher, watch } from "node:fs";
import { readdir, readFile, stat } from "node:fs/promises";
import path from "node:path";
import { setTimeout as sleep } from "node:timers/promises";
import {
  bindPage,
  byPlace,
  type Catalog,
  controlsVersion,
  type Database,
  type Finding,
  findTable,
  glanceAt,
  isFatal,
  type Page,
  type ParsedPage,
  parsePage,
  readCatalog,
  reviewAddresses,
  reviewRelated,
  rulesVersion,
  type Site,
  type Table,
} from "@loyal-quill/core";

/** A page file as it lies on disk, with what was found in it. */
export interface PageFileState {
  /** The file's name without `.page.yaml`. */
  readonly name: string;
  readonly text: string;
  /** The page that is served; null where there is none, since the findings hold an error and no earlier text was sound. */
  readonly page: Page | null;
  readonly findings: readonly Finding[];
  /** The earlier text that is served on, where this one has an error. */
  readonly earlier?: string;
}

/** What is on disk and in the catalogs, bound together. */
export interface Loaded extends Site {
  readonly files: readonly PageFileState[];
  readonly catalog: Catalog;
}

const ending = ".page.yaml";

/** A page file that was held against a database, with the places of its parts where it could be read. */
export interface BoundPageFile extends PageFileState {
  readonly parsed: ParsedPage | null;
}

const marks = new WeakMap<Table, string>();

/** Changes with everything that is known of a table but its size and its indexes. */
function markOf(table: Table): string {
  const known = marks.get(table);
  if (known !== undefined) return known;
  const mark = createHash("sha256")
    .update(JSON.stringify({ ...table, rows: null, indexes: null, trigrams: null, widths: null }))
    .digest("hex");
  marks.set(table, mark);
  return mark;
}

/** What is made of files and a catalog, each file by itself, by the files' names. */
interface Alone {
  /** What else it depends on: the catalog, and the kinds of rules and controls that are known. */
  readonly mark: string;
  readonly files: ReadonlyMap<string, PageFileState>;
}

const aloneOf = new WeakMap<Loaded, Alone>();

/** A file as it was bound before. Where its parts stand is read again only if something is to be said of it. */
const asBefore = ({ name, text, page, findings }: PageFileState): BoundPageFile => ({
  name,
  text,
  page,
  findings,
  get parsed() {
    const parsed = parsePage(text);
    return parsed.ok ? parsed.page : null;
  },
});

function stateOf(name: string, text: string, catalog: Catalog): BoundPageFile {
  const parsed = parsePage(text);
  if (!parsed.ok) return { name, text, page: null, parsed: null, findings: parsed.findings.toSorted(byPlace) };
  const table = findTable(catalog.tables, parsed.page.file.record.table);
  const version = createHash("sha256")
    .update(text)
    .update(table ? markOf(table) : "")
    .digest("hex")
    .slice(0, 12);
  return { name, text, parsed: parsed.page, ...bindPage(name, version, parsed.page, catalog) };
}

/**
 * What is said of addresses that two pages want; a page whose address is taken is not served.
 *
 * @param before what was served: who had an address keeps it
 */
function withAddresses(files: readonly BoundPageFile[], areAll: boolean, before?: Loaded): BoundPageFile[] {
  const had = new Set(before?.pages.map(({ name, path: { list } }) => `${name} ${list}`));
  const isOld = ({ page }: { page: Page }): boolean => had.has(`${page.name} ${page.path.list}`);
  const sound = files.filter((file): file is BoundPageFile & { page: Page } => file.page !== null);
  const placed = [...sound.filter(isOld), ...sound.filter((file) => !isOld(file))];
  const said = reviewAddresses(placed);
  const unsound = files.flatMap(({ name, page }) => (page ? [] : [name]));
  const related = reviewRelated(placed, areAll ? unsound : null);
  return files.map((file) => {
    const more = [...(said.get(file.name) ?? []), ...(related.get(file.name) ?? [])];
    if (more.length === 0) return file;
    const findings = [...file.findings, ...more].sort(byPlace);
    // A page that goes on in the place of a file with an error has none of its own.
    return { ...file, page: more.some(isFatal) ? null : file.page, findings };
  });
}

/**
 * Binds page files to a database, all together: what each is, and what they do to each other.
 *
 * @param areAll whether there are no others beside them, so that a page that one names must be among them
 */
export const bindPageFiles = (
  files: readonly { readonly name: string; readonly text: string }[],
  catalog: Catalog,
  areAll = true,
): readonly BoundPageFile[] =>
  withAddresses(
    files.map(({ name, text }) => stateOf(name, text, catalog)),
    areAll,
  );

/** Binds one text that is not among the loaded files, or takes the place of one, and holds its address against the others'. */
export function bindPageFile(name: string, text: string, { catalog, pages, unsound }: Loaded): BoundPageFile {
  const state = stateOf(name, text, catalog);
  const { page, parsed } = state;
  if (!page || !parsed) return state;
  const others = pages.filter((each) => each.name !== name).map((each) => ({ page: each, parsed: null }));
  const all = [...others, { page, parsed }];
  const findings = [
    ...state.findings,
    ...(reviewAddresses(all).get(name) ?? []),
    ...(reviewRelated(
      all,
      unsound.map((each) => each.name),
    ).get(name) ?? []),
  ];
  return { ...state, page: findings.some(isFatal) ? null : page, findings: findings.sort(byPlace) };
}

/** Milliseconds after which a file that was empty is read again, and how often. */
const settling = 50;
const mostReads = 5;

/**
 * The text of a page file. An editor that writes in place empties the file first: what is found empty is read again, so that nothing
 * that nobody wrote is served, or kept as a version.
 *
 * @throws where the file can't be read
 */
export async function readPageText(file: string): Promise<string> {
  for (let read = 1; ; read++) {
    const text = await readFile(file, "utf8");
    if (text !== "" || read === mostReads) return text;
    await sleep(settling);
  }
}

/** The names of the files of a directory that hold pages: what else is called so, as a directory may be, holds none. */
async function pageNames(directory: string): Promise<readonly string[]> {
  const found = await readdir(directory, { withFileTypes: true });
  return found.flatMap((entry) => (entry.name.endsWith(ending) && !entry.isDirectory() ? [entry.name] : [])).sort();
}

/** A page file's text; what can't be read says so in its place, and null for what was there a moment ago and is gone. */
async function namedText(directory: string, file: string): Promise<NamedText | null> {
  const name = file.slice(0, -ending.length);
  try {
    return { name, text: await readPageText(path.join(directory, file)) };
  } catch (error) {
    const { code, message } = error as NodeJS.ErrnoException;
    if (code === "ENOENT" || code === "EISDIR") return null;
    return { name, text: "", unreadable: message };
  }
}

/** A page file by its name. */
interface NamedText {
  readonly name: string;
  readonly text: string;
  /** Why it could not be read, where it couldn't. */
  readonly unreadable?: string;
}

/** Earlier texts of pages by their names, the newest first: the first that is sound is served on where the file has an error. */
export type EarlierTexts = (names: readonly string[]) => Promise<ReadonlyMap<string, readonly string[]>>;

/**
 * Reads every page file of a directory and binds it to the tables. The files are read after the catalogs: what is published
 * meanwhile is among them.
 *
 * @param before what was loaded there last: what has not changed since is taken from it, and goes on where a file has an error
 * @param earlier the last sound texts of pages whose files have an error at the first reading
 */
export async function loadPageFiles(
  directory: string,
  database: Database,
  before?: Loaded,
  earlier?: EarlierTexts,
): Promise<Loaded> {
  const catalog = await readCatalog(database);
  const read = await Promise.all((await pageNames(directory)).map((name) => namedText(directory, name)));
  const named = read.filter((each) => each !== null);
  const loaded = bindNamedFiles(named, catalog, before);
  const lost = loaded.files.flatMap(({ name, page }) => (page ? [] : [name]));
  if (lost.length === 0 || !earlier) return loaded;
  return bindNamedFiles(named, catalog, before, await earlier(lost));
}

/**
 * Changes with every page file of a directory, and with the code beside them: by it a change is noticed of which nobody was told.
 */
export async function markOfFiles(directory: string): Promise<string> {
  const names = (await readdir(directory)).filter((name) => /\.page\.(?:yaml|[mc]?[jt]s)$/.test(name)).sort();
  const marks = names.map(async (name) => {
    const found = await stat(path.join(directory, name)).catch(() => null);
    return `${name} ${found?.ino} ${found?.size} ${found?.mtimeMs}`;
  });
  return (await Promise.all(marks)).join("\n");
}

// The places of a file's parts are needed for its findings only; kept, they would be most of what a page takes in memory.
const withoutPlaces = ({ name, text, page, findings, earlier }: BoundPageFile): PageFileState => ({
  name,
  text,
  page,
  findings,
  ...(earlier === undefined ? {} : { earlier }),
});

const markOfCatalog = (catalog: Catalog): string =>
  createHash("sha256")
    .update(`${controlsVersion()} ${rulesVersion()} ${JSON.stringify(catalog)}`)
    .digest("hex");

/** A file that could not be read. */
const unread = ({ name }: NamedText, because: string): BoundPageFile => ({
  name,
  text: "",
  page: null,
  parsed: null,
  findings: [
    {
      severity: "error",
      code: "unreadable-file",
      message: `The file can't be read: ${because}.`,
      line: 1,
      column: 1,
    },
  ],
});

/**
 * Page files that were read already, bound to the tables; those that are as they were `before` are taken from there. Where a file
 * has an error, the page that was served before goes on being served, as long as it fits the tables.
 *
 * @param earlier further texts to go on with, by the pages' names, the newest first
 */
export function bindNamedFiles(
  named: readonly NamedText[],
  found: Catalog,
  before?: Loaded,
  earlier: ReadonlyMap<string, readonly string[]> = new Map(),
): Loaded {
  const mark = markOfCatalog(found);
  const last = before && aloneOf.get(before);
  const [catalog, known] = before && last?.mark === mark ? [before.catalog, last.files] : [found, null];
  const alone = named.map((file): BoundPageFile => {
    const { name, text, unreadable } = file;
    const same = known?.get(name);
    return unreadable !== undefined
      ? unread(file, unreadable)
      : same?.text === text
        ? asBefore(same)
        : stateOf(name, text, catalog);
  });
  /** Where a file has an error, the page that goes on in its place; it keeps what was found in the file. */
  const goneOn = alone.map((file): BoundPageFile => {
    if (file.page) return file;
    const was = before?.files.find(({ name }) => name === file.name);
    const texts = [was?.page ? (was.earlier ?? was.text) : undefined, ...(earlier.get(file.name) ?? [])];
    for (const text of texts) {
      if (text === undefined || text === file.text) continue;
      const isSame = was?.page && before?.catalog === catalog && text === (was.earlier ?? was.text);
      const page = isSame ? was.page : stateOf(file.name, text, catalog).page;
      if (page) return { ...file, page, earlier: text };
    }
    return file;
  });
  const files = withAddresses(goneOn, true, before).map(withoutPlaces);
  const pages = files.flatMap((file) => file.page ?? []);
  const unsound = files.flatMap((file) => {
    const listSegments = file.page ? null : glanceAt(file.text).listSegments;
    return listSegments === null ? [] : [{ name: file.name, listSegments }];
  });
  const loaded = { files, catalog, pages, unsound };
  const readable = alone.filter((_, index) => named[index]?.unreadable === undefined);
  aloneOf.set(loaded, { mark, files: new Map(readable.map((file) => [file.name, withoutPlaces(file)])) });
  return loaded;
}

/** Calls back a moment after anything in the directory has changed. */
export function watchPageFiles(directory: string, changed: () => void): FSWatcher {
  let timer: NodeJS.Timeout | undefined;
  return watch(directory, () => {
    clearTimeout(timer);
    timer = setTimeout(changed, 80);
  });
}
