import { createHash } from "node:crypto";
import { type FSWatcher, watch } from "node:fs";
import { readdir, readFile } from "node:fs/promises";
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
  isError,
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
    .update(JSON.stringify({ ...table, rows: null, indexes: null, trigrams: null }))
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

/** What is said of addresses that two pages want; a page whose address is taken is not served. */
function withAddresses(files: readonly BoundPageFile[], areAll: boolean): BoundPageFile[] {
  const placed = files.filter((file): file is BoundPageFile & { page: Page } => file.page !== null);
  const said = reviewAddresses(placed);
  const unsound = files.flatMap(({ name, page }) => (page ? [] : [name]));
  const related = reviewRelated(placed, areAll ? unsound : null);
  return files.map((file) => {
    const more = [...(said.get(file.name) ?? []), ...(related.get(file.name) ?? [])];
    if (more.length === 0) return file;
    const findings = [...file.findings, ...more].sort(byPlace);
    return { ...file, page: findings.some(isError) ? null : file.page, findings };
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
  return { ...state, page: findings.some(isError) ? null : page, findings: findings.sort(byPlace) };
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

/**
 * Reads every page file of a directory and binds it to the tables.
 *
 * @param before what was loaded there last: what has not changed since is taken from it
 */
export async function loadPageFiles(directory: string, database: Database, before?: Loaded): Promise<Loaded> {
  const [names, catalog] = await Promise.all([readdir(directory), readCatalog(database)]);
  const wanted = names.filter((name) => name.endsWith(ending)).sort();
  const texts = await Promise.all(wanted.map((name) => readPageText(path.join(directory, name))));
  const named = wanted.map((name, index) => ({ name: name.slice(0, -ending.length), text: texts[index] ?? "" }));
  return bindNamedFiles(named, catalog, before);
}

// The places of a file's parts are needed for its findings only; kept, they would be most of what a page takes in memory.
const withoutPlaces = ({ name, text, page, findings }: BoundPageFile): PageFileState => ({
  name,
  text,
  page,
  findings,
});

const markOfCatalog = (catalog: Catalog): string =>
  createHash("sha256")
    .update(`${controlsVersion()} ${rulesVersion()} ${JSON.stringify(catalog)}`)
    .digest("hex");

/** Page files that were read already, bound to the tables; those that are as they were `before` are taken from there. */
export function bindNamedFiles(
  named: readonly { readonly name: string; readonly text: string }[],
  found: Catalog,
  before?: Loaded,
): Loaded {
  const mark = markOfCatalog(found);
  const last = before && aloneOf.get(before);
  const [catalog, known] = before && last?.mark === mark ? [before.catalog, last.files] : [found, null];
  const alone = named.map(({ name, text }) => {
    const same = known?.get(name);
    return same?.text === text ? asBefore(same) : stateOf(name, text, catalog);
  });
  const files = withAddresses(alone, true).map(withoutPlaces);
  const pages = files.flatMap((file) => file.page ?? []);
  const unsound = files.flatMap((file) => {
    const listSegments = file.page ? null : glanceAt(file.text).listSegments;
    return listSegments === null ? [] : [{ name: file.name, listSegments }];
  });
  const loaded = { files, catalog, pages, unsound };
  aloneOf.set(loaded, { mark, files: new Map(alone.map((file) => [file.name, withoutPlaces(file)])) });
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
