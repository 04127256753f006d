import type { Adopted } from "@loyal-quill/authoring/adopt";
import { DatabaseRefusal, findTable, isRefusedAs, recordOf, rowNowStatement, tableName } from "@loyal-quill/core";
import express, { type Request, type Response } from "express";
import * as v from "valibot";
import { DeskRefusal } from "../drafts/desk-refusal.js";
import type { EditedDatabase } from "../edited-database.js";
import type { Account } from "../store/entities.js";
import type { Look } from "../trail.js";
import { GuardedRoutes, mayLookAt } from "./access.js";
import type { AdoptTablesAnswer } from "./answers/sheet.js";
import { tableOf } from "./changes.js";
import { problem } from "./problem.js";

interface AdoptRouteOptions extends EditedDatabase {
  readonly account: (request: Request) => Promise<Account | null>;
  readonly look: Look;
}

/** Whether a name is one of the IANA time zone database. */
function isTimeZone(name: string): boolean {
  try {
    new Intl.DateTimeFormat("en", { timeZone: name });
    return true;
  } catch {
    return false;
  }
}

const formEntries = {
  html: v.pipe(v.string(), v.minLength(1), v.maxLength(500_000)),
  handler: v.nullable(v.pipe(v.string(), v.maxLength(100_000))),
};
const formSchema = v.strictObject(formEntries);
const askedSchema = v.strictObject({
  table: v.pipe(v.string(), v.maxLength(300)),
  key: recordOf(v.string(), v.pipe(v.string(), v.maxLength(1000))),
  ...formEntries,
  columns: v.optional(
    recordOf(v.pipe(v.string(), v.maxLength(300)), v.nullable(v.pipe(v.string(), v.maxLength(300)))),
    {},
  ),
  zones: v.pipe(v.array(v.pipe(v.string(), v.maxLength(100), v.check(isTimeZone))), v.maxLength(5)),
});
type Asked = v.InferOutput<typeof askedSchema>;

/** More tables than anybody would look through say nothing. */
const mostTables = 10;

/** Parsers of HTML and of code: loaded when somebody imports a form. */
const adoption = () => import("@loyal-quill/authoring/adopt");

const refused = (because: string, title = "No such record"): DeskRefusal => new DeskRefusal(title, because, 422);

/** A form that was written elsewhere, held against its table; and against the record that it shows, where it is no template. @throws DeskRefusal */
async function adopted({ pages, database }: AdoptRouteOptions, asked: Asked): Promise<Adopted> {
  const { html, handler, zones, key, columns: chosen } = asked;
  const { adoptForm, isTemplate } = await adoption();
  const { catalog } = pages.loaded();
  const table = tableOf(pages.loaded(), asked.table);
  if (!table) throw refused("There is no table of this name that the connection may read.");
  const names = table.keys.find(({ columns }) => columns.every((name) => (key[name] ?? "") !== ""))?.columns;
  const common = { html, address: null, handler, table, chosen };
  if (isTemplate(html)) {
    const own = (table.keys[0]?.columns ?? []).map((name) => [name, ""] as const);
    return adoptForm(catalog, { ...common, key: own, row: null, zones: [] });
  }
  if (!names)
    throw refused(
      `Name the record that the form shows, by ${table.keys.map(({ columns }) => columns.join(" and ")).join(", or by ")}.`,
    );
  const pairs = names.map((name) => [name, key[name] ?? ""] as const);
  const [row] = await database.run(rowNowStatement(table, pairs)).catch((error: unknown) => {
    // What is no value of the key's type names no record.
    if (isRefusedAs(error, "bad value")) return [];
    if (error instanceof DatabaseRefusal) throw refused(`PostgreSQL refused: ${error.message}.`, "PostgreSQL refused");
    throw error;
  });
  if (!row)
    throw refused(
      `${tableName(table)} has no record with ${pairs.map(([name, value]) => `${name} ${value}`).join(", ")}.`,
    );
  return adoptForm(catalog, { ...common, key: pairs, row, zones: ["UTC", ...zones] });
}

/** Forms taken in: what is made of one, and what is wrong with it. Nothing is kept of it. */
export function adoptRoutes(options: AdoptRouteOptions): GuardedRoutes {
  const { account, look, pages } = options;
  const routes = new GuardedRoutes(account);
  const notUnderstood = (response: Response): void =>
    problem(
      response,
      400,
      "Not understood",
      "Send the table, the record's key and the page: 500 kB of it at most, and 100 kB of its handler.",
    );
  const nestedTooDeeply = (response: Response): void =>
    problem(response, 422, "Can't be read", "The page or its handler is nested too deeply.");
  // By names alone: no record is looked at.
  routes.post(["builder"], "/tables", express.json({ limit: "1mb" }), async (request, response) => {
    const parsed = v.safeParse(formSchema, request.body);
    if (!parsed.success) return notUnderstood(response);
    const { html, handler } = parsed.output;
    const { keyOfForm, tablesOfForm } = await adoption();
    const usable = pages.loaded().catalog.tables.filter((table) => table.keys.length > 0);
    try {
      const tables = tablesOfForm(usable, { html, handler, address: null }).slice(0, mostTables);
      const answer: AdoptTablesAnswer = {
        tables: tables.map((table) => ({ table: tableName(table), key: keyOfForm(table, html) })),
      };
      response.json(answer);
    } catch (error) {
      if (!(error instanceof RangeError)) throw error;
      nestedTooDeeply(response);
    }
  });
  routes.post(["builder"], "/", express.json({ limit: "1mb" }), async (request, response) => {
    const parsed = v.safeParse(askedSchema, request.body);
    if (!parsed.success) return notUnderstood(response);
    const { table } = parsed.output;
    try {
      mayLookAt({ pages }, await account(request), table);
      if (findTable(pages.loaded().catalog.tables, table)) await look(request, "records.searched", table);
      response.json(await adopted(options, parsed.output));
    } catch (error) {
      // Elements, or brackets, in more of one another than can be followed.
      if (error instanceof RangeError) return nestedTooDeeply(response);
      if (!(error instanceof DeskRefusal)) throw error;
      problem(response, error.status, error.title, error.message);
    }
  });
  return routes;
}
