import { type Actor, type EntryQuery, nobody } from "@loyal-quill/core";
import express, { type Request, type Response } from "express";
import * as v from "valibot";
import type { Verifications } from "../drafts/verification.js";
import type { EditedDatabase } from "../edited-database.js";
import { type Account, actorOf } from "../store/entities.js";
import { doerOf, type Look, note } from "../trail.js";
import { GuardedRoutes } from "./access.js";
import { changesFor, entriesFor, mostPutBack, recordChanges } from "./changes.js";
import { problem } from "./problem.js";
import { putBackNow, putBackPlan } from "./put-back.js";
import { entryNumber, formOf, key, moment, reading, textOf } from "./queries.js";

interface ChangeRouteOptions extends EditedDatabase {
  readonly account: (request: Request) => Promise<Account | null>;
  readonly look: Look;
  readonly verifications: Verifications;
}

const entriesRead = reading({
  before: entryNumber,
  page: textOf(),
  person: textOf(),
  table: textOf(),
  key,
  field: textOf(),
  request: formOf(/^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/),
  value: textOf(2000),
  from: moment,
  to: moment,
  containing: textOf(200),
  way: formOf(/^(page|behind|import|log)$/),
});

const recordRead = reading({ table: textOf(), key, entry: entryNumber });

/** What is looked for, as far as it is understood: the rest of a query is nothing. */
function entryQueryOf(query: unknown): EntryQuery {
  return Object.fromEntries(
    Object.entries(entriesRead(query)).filter(([, value]) => value !== undefined),
  ) as EntryQuery;
}

/** Where somebody looks for changes, without the values that they look for. */
function placeOf({ table, key, page, field, value, containing }: EntryQuery): string {
  const record = key ? ` ${Object.values(key).join(" / ")}` : "";
  const where = table ? `${table}${record}` : (page ?? "all tables");
  if (value === undefined && containing === undefined) return where;
  return `${where}, by a value of ${field ?? "any field"}`;
}

const id = v.pipe(v.string(), v.regex(/^\d{1,18}$/));
const askedSchema = v.strictObject({
  entries: v.pipe(v.array(id), v.minLength(1), v.maxLength(mostPutBack)),
  fields: v.optional(v.array(v.string())),
  reason: v.optional(v.nullable(v.pipe(v.string(), v.maxLength(1000))), null),
  despite: v.optional(v.boolean(), false),
});

/** The change log: searched, a record by its moments, put back, verified. */
export function changeRoutes(options: ChangeRouteOptions): GuardedRoutes {
  const { account, look, store, verifications } = options;
  const routes = new GuardedRoutes(options.account);
  const asker = async (request: Request): Promise<Actor> => {
    const by = await account(request);
    return by ? actorOf(by) : nobody;
  };

  routes.get(["auditor"], "/", async (request, response) => {
    const query = entryQueryOf(request.query);
    await look(request, "changes.searched", placeOf(query));
    response.json(await changesFor(options, query, await asker(request)));
  });

  routes.get(["auditor"], "/entries", async (request, response) => {
    const query = entryQueryOf(request.query);
    await look(request, "changes.searched", placeOf(query));
    response.json(await entriesFor(options, query, await asker(request)));
  });

  routes.get(["auditor"], "/record", async (request, response) => {
    const { table, key, entry: since = null } = recordRead(request.query);
    if (table === undefined || key === undefined || Object.keys(key).length === 0)
      return problem(response, 400, "No such record", "A record is named by its table and its key, as JSON.");
    await look(request, "changes.searched", `the record ${table} ${Object.values(key).join(" / ")}`);
    response.json(await recordChanges(options, { table, key, since }, await asker(request)));
  });

  const asking = async (
    request: Request,
    response: Response,
    run: (asked: v.InferOutput<typeof askedSchema>, by: Account) => Promise<unknown>,
  ): Promise<void> => {
    const parsed = v.safeParse(askedSchema, request.body);
    const by = await account(request);
    if (!parsed.success || !by)
      return problem(
        response,
        400,
        "Not understood",
        `Name the numbers of 1 to ${mostPutBack} entries that are to be put back.`,
      );
    response.json(await run(parsed.output, by));
  };

  routes.post(["auditor"], "/put-back/plan", express.json({ limit: "64kb" }), (request, response) =>
    asking(request, response, async (asked, by) => ({ records: await putBackPlan(options, asked, actorOf(by)) })),
  );

  routes.post(["auditor"], "/put-back", express.json({ limit: "64kb" }), (request, response) =>
    asking(request, response, async ({ reason, despite, ...asked }, by) => {
      const answer = await putBackNow(options, asked, { actor: actorOf(by), reason, despite });
      await note(
        store,
        doerOf(request, by),
        "changes.put-back",
        { name: `${asked.entries.length} ${asked.entries.length === 1 ? "entry" : "entries"}` },
        { records: String(answer.records.filter(({ state }) => state === "put-back").length) },
      );
      return answer;
    }),
  );

  routes.get(["auditor"], "/verification", async (_request, response) => {
    response.json(await verifications.answer());
  });
  routes.post(["auditor"], "/verification", async (request, response) => {
    const by = await account(request);
    response.status(202).json(await verifications.begin(by?.name ?? ""));
  });
  routes.delete(["auditor"], "/verification", async (_request, response) => {
    await verifications.cancel();
    response.json(await verifications.answer());
  });
  return routes;
}
