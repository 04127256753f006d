import { performance } from "node:perf_hooks";
import {
  type Actor,
  type Database,
  encodeSegment,
  handle,
  mayOpen,
  type Page,
  type RecordedRequest,
  recordAddress,
  type Signer,
  tableName,
} from "@loyal-quill/core";
import type { Loaded, PageFileState, Pages } from "@loyal-quill/runtime";
import express, { type Request, type Response } from "express";
import { actorOf } from "../sign-in/session.js";
import type { Account, Change } from "../store/entities.js";
import type { Store } from "../store/store.js";
import type { Feed } from "./feed.js";
import { problem } from "./problem.js";
import { recordChoices } from "./records.js";
import { sheetOf } from "./sheet.js";
import type { AccountSummary, ChangeAnswer, ChangesAnswer, PageSummary, SessionAnswer, TrialAnswer } from "./types.js";

export interface ApiOptions {
  readonly store: Store;
  readonly pages: Pages;
  readonly database: Database;
  readonly signer: Signer;
  readonly feed: Feed;
  readonly application: string;
  readonly styleSheets: readonly string[];
  readonly account: (request: Request) => Promise<Account | null>;
  readonly signOutToken: (request: Request) => string;
}

const week = 7 * 86_400_000;

const text = (value: unknown): string | undefined =>
  typeof value === "string" && value !== "" && !value.includes("\0") ? value : undefined;

/** A key's values in the order of the page's address: JSON in PostgreSQL keeps no order. */
function orderedKey(loaded: Loaded, page: string, key: Readonly<Record<string, string>>): Record<string, string> {
  const columns = loaded.pages.find((each) => each.name === page)?.key.map((column) => column.name) ?? [];
  const names = [
    ...columns.filter((name) => name in key),
    ...Object.keys(key).filter((name) => !columns.includes(name)),
  ];
  return Object.fromEntries(names.map((name) => [name, key[name] ?? ""]));
}

const changeAnswer = (loaded: Loaded, change: Change): ChangeAnswer => {
  const { id, at, actorName, page, operation, fields, requestId, reason, way } = change;
  return {
    id,
    at: new Date(at).toISOString(),
    actorName,
    page,
    table: change.tableName,
    key: orderedKey(loaded, page, change.recordKey),
    operation,
    fields,
    requestId,
    reason: reason ?? null,
    way,
  };
};

async function summaries(loaded: Loaded, store: Store): Promise<PageSummary[]> {
  const [outcomes, changes] = await Promise.all([store.outcomes(new Date(Date.now() - week)), store.lastChanges()]);
  return Promise.all(
    loaded.files.map(async (file): Promise<PageSummary> => {
      const { name, page, findings } = file;
      const [lastRequest] = await store.requests({ page: name, limit: 1 });
      const change = changes.find((each) => each.page === name);
      const errors = findings.filter((finding) => finding.severity === "error").length;
      return {
        name,
        plural: page?.plural ?? name,
        path: page ? sheetOf(file).path : "",
        listAddress: page?.path.list ?? null,
        table: page ? tableName(page.table) : "",
        served: page !== null,
        errors,
        warnings: findings.length - errors,
        firstFinding: findings[0] ?? null,
        outcomes: Object.fromEntries(
          outcomes.filter((each) => each.page === name).map((each) => [each.outcome, each.count]),
        ),
        lastRequest: lastRequest ?? null,
        lastChange: change
          ? {
              at: new Date(change.at).toISOString(),
              by: change.actorName,
              key: orderedKey(loaded, name, change.recordKey),
            }
          : null,
      };
    }),
  );
}

/** Opens a record through the same steps as a request of that person would, without keeping a record of it. */
async function trial(options: ApiOptions, page: Page, key: readonly string[], actor: Actor): Promise<TrialAnswer> {
  const path = `${recordAddress(page.path, key)}/edit`;
  const matched = { kind: "page", page, operation: "open", keySegments: key.map(encodeSegment) } as const;
  const frame = {
    base: "",
    styleSheets: options.styleSheets,
    script: null,
    application: options.application,
    home: "/",
    language: "en" as const,
    person: { name: actor.name },
    signOut: null,
  };
  const request = {
    id: crypto.randomUUID(),
    at: new Date(),
    method: "GET",
    path,
    query: {},
    body: null,
    actor,
    session: "trial",
    said: null,
    signIn: null,
    frame,
  };
  const { response, recorded } = await handle(matched, request, {
    database: options.database,
    signer: options.signer,
    elapsed: () => performance.now(),
  });
  const loadStep = recorded.steps.find((step) => step.step === "load");
  const row =
    loadStep && loadStep.stopped === null
      ? Object.fromEntries(loadStep.values.map(({ name, value }) => [name, value]))
      : null;
  return { recorded, html: response.body, address: path, row };
}

/** The person through whose eyes a page is tried: the one asked for, or the first account that may open it. */
async function tryingAs(options: ApiOptions, page: Page, id: string | undefined): Promise<Actor | null> {
  const accounts = (await options.store.accounts()).filter((account) => account.active);
  const asked = accounts.find((account) => account.id === id);
  const facts = (account: Account) => ({ actor: actorOf(account), row: {}, form: {}, now: new Date() });
  const chosen = asked ?? accounts.find((account) => mayOpen(page, facts(account)) === true) ?? accounts[0];
  return chosen ? actorOf(chosen) : null;
}

/** The workbench's API: JSON, for builders only. */
export function apiRoutes(options: ApiOptions): express.Router {
  const { store, pages, feed } = options;
  const router = express.Router();

  router.use(async (request, response, next) => {
    response.set("cache-control", "no-store");
    const account = await options.account(request);
    if (!account) return problem(response, 401, "Signed out", "Sign in to use the workbench.");
    if (!account.roles.includes("builder"))
      return problem(response, 403, "Not a builder", "The workbench is open to accounts with the role builder.");
    next();
  });

  const withFile =
    (run: (file: PageFileState, request: Request, response: Response) => unknown) =>
    (request: Request, response: Response) => {
      const file = pages.loaded().files.find((each) => each.name === request.params.name);
      return file
        ? run(file, request, response)
        : problem(response, 404, "No such page", "There is no page file of this name.");
    };

  router.get("/session", async (request, response) => {
    const account = await options.account(request);
    const answer: SessionAnswer = {
      name: account?.name ?? "",
      application: options.application,
      signOutToken: options.signOutToken(request),
    };
    response.json(answer);
  });

  router.get("/pages", async (_request, response) => {
    response.json(await summaries(pages.loaded(), store));
  });

  router.get(
    "/pages/:name",
    withFile((file, _request, response) => response.json(sheetOf(file))),
  );

  router.get(
    "/pages/:name/records",
    withFile(async ({ page }, request, response) => {
      response.json(page ? await recordChoices(page, options.database, text(request.query.q) ?? "") : []);
    }),
  );

  router.get(
    "/pages/:name/trial",
    withFile(async ({ page }, request, response) => {
      if (!page) return problem(response, 409, "Not served", "The page file has errors, so there is no page to try.");
      const key = [request.query.key].flat().filter((each): each is string => typeof each === "string");
      if (key.length !== page.key.length)
        return problem(response, 400, "Wrong key", `The key has ${page.key.length} part(s).`);
      const actor = await tryingAs(options, page, text(request.query.as));
      if (!actor) return problem(response, 409, "Nobody to try it as", "There is no active account.");
      response.json(await trial(options, page, key, actor));
    }),
  );

  router.get("/requests", async (request, response) => {
    const page = text(request.query.page);
    const operation = text(request.query.operation);
    const found: RecordedRequest[] = await store.requests({
      ...(page ? { page } : {}),
      ...(operation ? { operation } : {}),
      limit: 50,
    });
    response.json(found);
  });

  router.get("/requests/:id", async (request, response) => {
    const id = /^[0-9a-f-]{36}$/i.test(request.params.id) ? request.params.id : null;
    const recorded = id && (await store.request(id));
    return recorded
      ? response.json(recorded)
      : problem(response, 404, "No such request", "It was made before requests were kept, or was forgotten since.");
  });

  router.get("/changes", async (request, response) => {
    const before = /^\d{1,18}$/.exec(text(request.query.before) ?? "")?.[0];
    const [page, person, containing] = [
      text(request.query.page),
      text(request.query.person),
      text(request.query.containing)?.slice(0, 200),
    ];
    const query = {
      ...(before ? { before } : {}),
      ...(page ? { page } : {}),
      ...(person ? { person } : {}),
      ...(containing ? { containing } : {}),
    };
    const [found, people] = await Promise.all([store.changes({ ...query, limit: 51 }), store.changers()]);
    const answer: ChangesAnswer = {
      changes: found.slice(0, 50).map((change) => changeAnswer(pages.loaded(), change)),
      more: found.length > 50,
      people,
    };
    response.json(answer);
  });

  router.get("/accounts", async (_request, response) => {
    const accounts = await store.accounts();
    response.json(accounts.map(({ id, name, roles, active }): AccountSummary => ({ id, name, roles, active })));
  });

  router.get("/feed", (_request, response) => feed.join(response));

  router.use((_request, response) =>
    problem(response, 404, "No such address", "The workbench's API has nothing here."),
  );
  return router;
}
