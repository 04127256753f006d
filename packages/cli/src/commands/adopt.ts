import { mkdir, readFile, writeFile } from "node:fs/promises";
import path from "node:path";
import { type Adopted, adoptForm, isTemplate, tablesOfForm } from "@loyal-quill/authoring/adopt";
import {
  type Catalog,
  findTable,
  isRefusedAs,
  type Row,
  readCatalog,
  rowNowStatement,
  type Table,
  tableName,
} from "@loyal-quill/core";
import { CannotStart } from "../listen.js";
import { withDatabase } from "../open-database.js";
import { adoptReports } from "../report/adopt.js";

export interface AdoptOptions {
  /** An address on loopback, or a file. */
  readonly source: string;
  readonly database: string;
  /** `schema.table`; a table's name alone where only one schema has it. */
  readonly table: string | undefined;
  /** The record's key by its columns; taken from the address where it is left out. */
  readonly key: Readonly<Record<string, string>>;
  /** Headers with which the address is asked for, such as a cookie. */
  readonly headers: Readonly<Record<string, string>>;
  /** The file of its handler; undefined where that is not at hand. */
  readonly handler: string | undefined;
  /** The columns that were chosen for controls, by the controls' names; an empty one for none. */
  readonly columns: Readonly<Record<string, string>>;
  /** IANA names of the time zones in which the form may show moments, beside UTC. */
  readonly zones: readonly string[];
  /** The directory that the page file goes to; undefined shows it instead. */
  readonly to: string | undefined;
  readonly format: keyof typeof adoptReports;
}

const isAddress = (source: string): boolean => /^https?:\/\//i.test(source);

/** Whether a host is this machine: nobody else's form is asked for. */
const isLoopback = ({ hostname }: URL): boolean => /^(localhost|127(\.\d+){3}|\[::1\])$/.test(hostname);

async function htmlOf({ source, headers }: AdoptOptions): Promise<string> {
  if (!isAddress(source))
    return readFile(source, "utf8").catch(() => {
      throw new CannotStart(`${source} can't be read.`);
    });
  if (!isLoopback(new URL(source)))
    throw new CannotStart(
      `${source} is on another machine. Only forms of this one are asked for: save the page, and name the file.`,
    );
  const response = await fetch(source, { headers, redirect: "manual" }).catch((error: Error) => {
    throw new CannotStart(`${source} can't be reached: ${error.message}`);
  });
  if (response.status >= 300 && response.status < 400)
    throw new CannotStart(
      `${source} leads to ${response.headers.get("location")}. Where it asks for sign-in, give the session's cookie: --header 'Cookie: …'.`,
    );
  if (!response.ok) throw new CannotStart(`${source} answers ${response.status}.`);
  return response.text();
}

/** What may be a key in an address: its path's and its query's parts, the last ones first. */
function partsOf(source: string): readonly string[] {
  if (!isAddress(source)) return [];
  const { pathname, searchParams } = new URL(source);
  const segments = pathname.split("/").filter(Boolean).map(decodeURIComponent);
  return [...searchParams.values(), ...segments.reverse()];
}

type Found = { readonly table: Table; readonly key: readonly (readonly [string, string])[]; readonly row: Row };

/** The table that was named, or the one that the form is for by what it has. @throws CannotStart where there is none, or it isn't clear */
function tableOf(catalog: Catalog, name: string | undefined, form: Parameters<typeof tablesOfForm>[1]): Table {
  if (name !== undefined) {
    const table = findTable(catalog.tables, name) ?? catalog.tables.find((each) => each.name === name);
    if (table) return table;
    throw new CannotStart(`There is no table ${name} that this connection may read.`);
  }
  const [table, ...others] = tablesOfForm(catalog.tables, form);
  if (table && others.length === 0) return table;
  const names = [table, ...others].flatMap((each) => (each ? [tableName(each)] : []));
  throw new CannotStart(
    names.length === 0
      ? "Which table is the form for? No control has the name of a column: say --table SCHEMA.NAME."
      : `Which table is the form for? Its controls fit ${names.slice(0, 5).join(", ")}${names.length > 5 ? " and others" : ""}: say --table SCHEMA.NAME.`,
  );
}

/** The record: by its key where it is named, else the one whose key stands in the address. */
async function recordOf(
  { key: given, source }: AdoptOptions,
  table: Table,
  run: (table: Table, key: Found["key"]) => Promise<Row | null>,
): Promise<Found> {
  const parts = partsOf(source);
  for (const { columns } of table.keys) {
    const told = columns.flatMap((column) => (given[column] === undefined ? [] : [[column, given[column]] as const]));
    if (told.length === columns.length) {
      const row = await run(table, told);
      if (row) return { table, key: told, row };
      throw new CannotStart(
        `${tableName(table)} has no record with ${told.map(([column, value]) => `${column} ${value}`).join(", ")}.`,
      );
    }
    if (Object.keys(given).length > 0 || columns.length !== 1) continue;
    for (const part of parts) {
      const key = [[columns[0] ?? "", part] as const];
      const row = await run(table, key);
      if (row) return { table, key, row };
    }
  }
  throw new CannotStart(
    `Which record does the form show? Say --key COLUMN=VALUE, by one of its keys: ${table.keys.map(({ columns }) => columns.join(" and ")).join("; ")}.`,
  );
}

/** What was chosen for controls. @throws CannotStart where the table has no such column */
function chosenIn({ columns }: AdoptOptions, table: Table): Readonly<Record<string, string | null>> {
  const unknown = Object.values(columns).filter(
    (name) => name !== "" && !table.columns.some((each) => each.name === name),
  );
  if (unknown.length > 0) throw new CannotStart(`${tableName(table)} has no column ${unknown.join(", ")}.`);
  return Object.fromEntries(Object.entries(columns).map(([name, column]) => [name, column === "" ? null : column]));
}

/** `quill adopt`: a page file from a form that somebody has written, and what is wrong with that. @returns the exit code: 1 on an error */
export async function adopt(options: AdoptOptions, write: (text: string) => void): Promise<number> {
  const html = await htmlOf(options);
  const { handler: file } = options;
  const handler =
    file === undefined
      ? null
      : await readFile(file, "utf8").catch(() => {
          throw new CannotStart(`${file} can't be read.`);
        });
  const adopted: Adopted = await withDatabase(options.database, async (database) => {
    const catalog = await readCatalog(database);
    const address = isAddress(options.source) ? options.source : null;
    const table = tableOf(catalog, options.table, { html, address, handler });
    if (address === null && isTemplate(html)) {
      const key = (table.keys[0]?.columns ?? []).map((column) => [column, ""] as const);
      return adoptForm(catalog, {
        html,
        address,
        handler,
        table,
        key,
        row: null,
        zones: [],
        chosen: chosenIn(options, table),
      });
    }
    const record = await recordOf(options, table, async (table, key) => {
      const rows = await database.run(rowNowStatement(table, key)).catch((error: unknown) => {
        // What is no value of the key's type names no record.
        if (isRefusedAs(error, "bad value")) return [];
        throw error;
      });
      return rows[0] ?? null;
    });
    return adoptForm(catalog, {
      html,
      address,
      handler,
      ...record,
      zones: ["UTC", ...options.zones],
      chosen: chosenIn(options, table),
    });
  });
  const { page } = adopted;
  let written: string | null = null;
  if (page && options.to !== undefined) {
    written = path.join(options.to, `${page.name}.page.yaml`);
    await mkdir(options.to, { recursive: true });
    await writeFile(written, page.text, { flag: "wx" }).catch((error: NodeJS.ErrnoException) => {
      throw error.code === "EEXIST" ? new CannotStart(`${written} is there already, and is left as it is.`) : error;
    });
  }
  write(adoptReports[options.format](adopted, { form: options.source, handler: options.handler ?? "" }, written));
  return adopted.findings.some(({ severity }) => severity === "error") ? 1 : 0;
}
