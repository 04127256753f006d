import type { Page, RecordedRequest, Signer } from "@loyal-quill/core";
import express, { type Request, type Response } from "express";
import { DeskRefusal, nameForm } from "../drafts/desk.js";
import type { EditedDatabase } from "../edited-database.js";
import type { Account } from "../store/entities.js";
import type { Store } from "../store/store.js";
import { connectionAnswer, databaseAnswer, tableAnswer } from "./database.js";
import { draftRoutes } from "./draft-routes.js";
import { pageFileAnswer } from "./page-file.js";
import { changeAnswer, summaries } from "./pages.js";
import { peopleRoutes } from "./people-routes.js";
import { problem } from "./problem.js";
import { extremeRecords, firstSeen, neighbour, recordChoices } from "./records.js";
import { tryingAs } from "./trial.js";
import type { AccountSummary, ChangesAnswer, SessionAnswer } from "./types.js";

export interface ApiOptions extends EditedDatabase {
  /** All of them, this one included. */
  readonly databases: readonly EditedDatabase[];
  readonly signer: Signer;
  readonly application: string;
  readonly styleSheets: readonly string[];
  readonly account: (request: Request) => Promise<Account | null>;
  /** The session's token against forged requests, and whether a request carries it. */
  readonly csrfToken: (request: Request) => string;
  readonly hasCsrfToken: (request: Request, token: unknown) => boolean;
}

const text = (value: unknown): string | undefined =>
  typeof value === "string" && value !== "" && !value.includes("\0") ? value : undefined;

/** What conditions can ask of an actor, from what the accounts have. */
async function actorNames(store: Store): Promise<SessionAnswer["actorNames"]> {
  const attributes = (await store.accounts()).flatMap((account) => Object.entries(account.attributes));
  const types = new Map(attributes.map(([name, value]) => [name, Array.isArray(value) ? "list" : typeof value]));
  return [
    { name: "id", type: "string" },
    { name: "name", type: "string" },
    { name: "roles", type: "list" },
    ...[...types].map(([name, type]) => ({ name, type })),
  ];
}

/** The workbench's API: JSON, for builders only. */
export function apiRoutes(options: ApiOptions): express.Router {
  const { store, pages, feed, desk } = options;
  const router = express.Router();

  router.use(async (request, response, next) => {
    response.set("cache-control", "no-store");
    const account = await options.account(request);
    if (!account) return problem(response, 401, "Signed out", "Sign in to use the workbench.");
    if (!account.roles.includes("builder"))
      return problem(response, 403, "Not a builder", "The workbench is open to accounts with the role builder.");
    const isReading = request.method === "GET" || request.method === "HEAD";
    if (!isReading && !options.hasCsrfToken(request, request.get("x-csrf-token")))
      return problem(
        response,
        403,
        "Not from the workbench",
        "The request does not carry the session's token. Reload the workbench.",
      );
    next();
  });

  router.get("/session", async (request, response) => {
    const account = await options.account(request);
    const answer: SessionAnswer = {
      name: account?.name ?? "",
      application: options.application,
      actorNames: await actorNames(store),
      csrfToken: options.csrfToken(request),
    };
    response.json(answer);
  });

  router.get("/page-file", (_request, response) => {
    response.json(pageFileAnswer);
  });

  router.get("/pages", async (_request, response) => {
    response.json(await summaries(pages.loaded(), store, desk, options.mount));
  });

  /** Runs with the page that is worked on; where it has errors there are no records to tell of. */
  const withPage =
    (run: (page: Page, request: Request) => Promise<unknown>) =>
    async (request: Request<{ name: string }>, response: Response): Promise<void> => {
      try {
        if (!nameForm.test(request.params.name))
          throw new DeskRefusal("No such page", "A page's name has letters, digits, - and _.", 404);
        const { page } = await desk.bound(request.params.name);
        response.json(page ? await run(page, request as Request) : []);
      } catch (error) {
        if (!(error instanceof DeskRefusal)) throw error;
        problem(response, error.status, error.title, error.message);
      }
    };

  router.get(
    "/pages/:name/records",
    withPage((page, request) => recordChoices(page, options.database, text(request.query.q) ?? "")),
  );

  router.get(
    "/pages/:name/extremes",
    withPage((page) => extremeRecords(page, options.database)),
  );

  router.get(
    "/pages/:name/first",
    withPage(async (page, request) => {
      const actor = await tryingAs(store, page, text(request.query.as));
      return actor && firstSeen(page, options.database, actor);
    }),
  );

  router.get(
    "/pages/:name/neighbour",
    withPage((page, request) => {
      const key = [request.query.key].flat().flatMap((each) => text(each) ?? []);
      return neighbour(page, options.database, key, request.query.by === "-1" ? -1 : 1);
    }),
  );

  router.get("/databases", async (_request, response) => {
    response.json(await Promise.all(options.databases.map((each) => connectionAnswer(each))));
  });

  router.get("/database", async (_request, response) => {
    response.json(await databaseAnswer(pages.loaded(), options.database, store));
  });

  router.get("/database/:table", async (request, response) => {
    const answer = await tableAnswer(request.params.table, pages.loaded(), options.database, store);
    if (answer) response.json(answer);
    else problem(response, 404, "No such table", "There is no table of this name that the connection may read.");
  });

  router.use("/drafts", draftRoutes({ ...options, loaded: () => pages.loaded() }));

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

  router.use("/people", peopleRoutes(options));

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
