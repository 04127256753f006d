import { readFile, writeFile } from "node:fs/promises";
import { createServer } from "node:http";
import type { AddressInfo } from "node:net";
import path from "node:path";
import { type FileFormat, fileFormats, isError, pageOfFile } from "@loyal-quill/core";
import { signerOf } from "@loyal-quill/runtime";
import { createPagesApplication, Keys, leastKeyLength, makeLogger } from "@loyal-quill/server/pages";
import pino from "pino";
import * as v from "valibot";
import { shownUrl } from "../from-environment.js";
import { CannotStart } from "../listen.js";
import { type AppliedRows, rowsReports } from "../report/rows.js";

/** As whom, and over what, rows go out and come back. */
interface RowsOptions {
  readonly database: string;
  /** The directory of the page files. */
  readonly pages: string;
  /** The person's id, as the log names it. */
  readonly as: string;
  readonly roles: readonly string[];
  readonly attributes: Readonly<Record<string, string>>;
  /** The keys by which rows are marked: those with which the pages are served. */
  readonly signingKeys: readonly string[] | undefined;
}

interface Served {
  /** Asks a page: its list's address with this after it. */
  readonly ask: (page: string, rest: string, init?: RequestInit) => Promise<Response>;
}

const needed = (keys: readonly string[] | undefined): readonly string[] => {
  if (keys?.every((key) => Buffer.byteLength(key) >= leastKeyLength)) return keys;
  if (keys) throw new CannotStart(`A key of QUILL_SIGNING_KEYS is shorter than ${leastKeyLength} bytes.`);
  throw new CannotStart(
    "Set QUILL_SIGNING_KEYS to the keys with which the pages are served: by them rows that come back are known.",
  );
};

/** Serves the pages to one person on loopback while something is done: every row goes the way of any form. */
async function withPages<Result>(options: RowsOptions, run: (served: Served) => Promise<Result>): Promise<Result> {
  const { database, pages: directory, as, roles, attributes } = options;
  const application = await createPagesApplication({
    databaseUrl: database,
    pages: directory,
    actor: { id: as, name: as, roles, attributes },
    signingKeys: needed(options.signingKeys),
    name: "Records",
    logger: makeLogger("error", pino.destination(2)),
    seals: false,
    onNotice: () => {},
  }).catch((error: Error) => {
    throw new CannotStart(`The pages of ${directory} can't be served from ${shownUrl(database)}: ${error.message}`);
  });
  const server = createServer(application.app);
  try {
    await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
    const { port } = server.address() as AddressInfo;
    return await run({
      ask: (name, rest, init = {}) => {
        const { pages, files } = application.pages.loaded();
        const page = pages.find((each) => each.name === name);
        if (page && !page.list.spreadsheet)
          throw new CannotStart(`The list of the page ${name} is not for spreadsheets: spreadsheet: true makes it so.`);
        if (page) return fetch(`http://127.0.0.1:${port}${page.path.list}/${rest}`, init);
        const wrong = files.find((each) => each.name === name)?.findings.find(isError);
        throw new CannotStart(
          wrong
            ? `The page ${name} is not served. ${name}.page.yaml:${wrong.line}: ${wrong.message}`
            : `There is no page ${name} in ${directory}. There are: ${pages.map((each) => each.name).join(", ")}.`,
        );
      },
    });
  } finally {
    server.closeAllConnections();
    server.close();
    await application.close();
  }
}

const refusalSchema = v.object({ title: v.optional(v.string()), detail: v.optional(v.string()) });

async function refusalOf(response: Response, page: string): Promise<CannotStart> {
  const read = v.safeParse(refusalSchema, await response.json().catch(() => null));
  const said = read.success ? [read.output.title, read.output.detail].filter(Boolean).join(". ") : "";
  return new CannotStart(`The page ${page} answers ${response.status}. ${said}`.trim());
}

function formatOf(file: string): FileFormat {
  const format = fileFormats.find((each) => `.${each}` === path.extname(file).toLowerCase());
  if (!format) throw new CannotStart(`${file} can't be written: only .csv and .xlsx files are.`);
  return format;
}

/** `quill rows get`: a page's list for editing in a spreadsheet. @param query filters and order, as in the list's address */
export async function getRows(
  options: RowsOptions & { readonly page: string; readonly to: string; readonly query: string },
  say: (line: string) => void,
): Promise<void> {
  const format = formatOf(options.to);
  const text = await withPages(options, async ({ ask }) => {
    const query = new URLSearchParams(options.query);
    query.set("format", format);
    if (format === "csv") query.set("bom", "1");
    const response = await ask(options.page, `~spreadsheet?${query}`, { headers: { accept: "*/*" } });
    // An address that the list does not have leads back to it.
    if (response.redirected) throw new CannotStart(`The page ${options.page} has no list with ${options.query}.`);
    if (!response.ok) throw await refusalOf(response, options.page);
    return Buffer.from(await response.arrayBuffer());
  });
  await writeFile(options.to, text);
  say(`${options.to} is written.`);
}

const cellSchema = v.object({
  field: v.string(),
  old: v.string(),
  new: v.string(),
  detail: v.optional(v.string()),
  theirs: v.optional(v.string()),
});
const rowsSchema = v.array(
  v.object({
    line: v.number(),
    title: v.string(),
    state: v.string(),
    detail: v.optional(v.string()),
    cells: v.array(cellSchema),
  }),
);
const lookedSchema = v.object({
  problem: v.optional(v.string()),
  read: v.optional(
    v.object({ rows: v.number(), untouched: v.number(), unmarked: v.number(), readOnly: v.optional(v.number(), 0) }),
  ),
  saved: v.optional(v.number()),
  rows: v.optional(v.string()),
  left: v.optional(v.string()),
  changed: rowsSchema,
  added: rowsSchema,
  ignored: rowsSchema,
  conflicts: rowsSchema,
  refused: rowsSchema,
});
const savedSchema = v.object({ outcome: v.string(), message: v.string(), rows: v.optional(v.number()) });

/** Writes the rows that can't be saved as they are into a file of their own. */
async function writeLeft(to: string, left: string, ask: Served["ask"], page: string): Promise<void> {
  const form = new FormData();
  form.set("quill.left", left);
  form.set("quill.answer", formatOf(to));
  const response = await ask(page, "~upload", { method: "POST", body: form, headers: { accept: "*/*" } });
  if (!response.ok) throw await refusalOf(response, page);
  await writeFile(to, Buffer.from(await response.arrayBuffer()));
}

/** `quill rows apply`: a file that came back. @returns the exit code: 1 where a row was refused or is in conflict */
export async function applyRows(
  options: RowsOptions & {
    readonly file: string;
    readonly save: boolean;
    readonly reason: string | undefined;
    readonly conflicts: "leave" | "mine";
    /** Whether rows without a mark become new records. */
    readonly addsNew: boolean;
    /** Where rows that can't be saved as they are go, with what is said of them. */
    readonly left: string | undefined;
    readonly format: keyof typeof rowsReports;
  },
  write: (text: string) => void,
): Promise<number> {
  const bytes = await readFile(options.file).catch(() => {
    throw new CannotStart(`${options.file} can't be read.`);
  });
  const name = await pageOfFile(bytes, signerOf(new Keys(needed(options.signingKeys)).all("forms")));
  if (name === undefined)
    throw new CannotStart(
      `${options.file} has no row that was marked with these keys: it has to be a file that was downloaded for editing, and QUILL_SIGNING_KEYS those of the pages.`,
    );
  const applied = await withPages(options, async ({ ask }): Promise<AppliedRows> => {
    const send = (form: FormData): Promise<Response> => {
      if (options.reason !== undefined) form.set("quill.reason", options.reason);
      return ask(name, "~upload", { method: "POST", body: form, headers: { accept: "application/json" } });
    };
    const form = new FormData();
    form.set("quill.file", new Blob([new Uint8Array(bytes)], { type: "text/csv" }), path.basename(options.file));
    if (options.addsNew) form.set("quill.new", "true");
    const response = await send(form);
    if (response.status !== 200 && response.status !== 422) throw await refusalOf(response, name);
    const looked = v.parse(lookedSchema, await response.json());
    if (looked.problem !== undefined) throw new CannotStart(`${options.file}: ${looked.problem}`);
    const { rows, left, ...told } = looked;
    if (options.left !== undefined && left !== undefined) await writeLeft(options.left, left, ask, name);
    if (!options.save || rows === undefined) return { page: name, ...told, saved: 0 };
    const saving = new FormData();
    saving.set("quill.rows", rows);
    if (options.conflicts !== "leave")
      for (const { line } of told.conflicts) saving.set(`quill.choice:${line}`, options.conflicts);
    const answer = await send(saving);
    const body: unknown = await answer.json();
    const whole = v.safeParse(savedSchema, body);
    if (whole.success) return { page: name, ...told, saved: whole.output.rows ?? 0 };
    const part = v.safeParse(lookedSchema, body);
    if (!part.success) throw new CannotStart(`The page ${name} answers ${answer.status}: ${JSON.stringify(body)}`);
    const { saved = 0, refused, conflicts, problem } = part.output;
    const later = new Set([...refused, ...conflicts].map(({ line }) => line));
    return {
      page: name,
      ...told,
      ...(problem === undefined ? {} : { problem }),
      changed: told.changed.filter(({ line }) => !later.has(line)),
      added: told.added.filter(({ line }) => !later.has(line)),
      conflicts: [...told.conflicts.filter(({ line }) => !later.has(line)), ...conflicts],
      refused: [...told.refused, ...refused],
      saved,
    };
  });
  write(rowsReports[options.format](applied, options.save));
  const isOpen = applied.conflicts.length > 0 && !(options.save && options.conflicts !== "leave");
  return applied.refused.length > 0 || isOpen || applied.problem !== undefined ? 1 : 0;
}
