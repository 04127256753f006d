import type { Request, Response } from "express";
import { nameForm } from "../drafts/desk.js";
import { DeskRefusal } from "../drafts/desk-refusal.js";
import type { Draft } from "../drafts/jobs.js";
import type { EditedDatabase } from "../edited-database.js";
import type { SignIns } from "../sign-in/sign-ins.js";
import { type Account, type OwnRole, ownRoles, type TrailEntry } from "../store/entities.js";
import type { Store } from "../store/store.js";
import { lookIn, type TrailAction, trailActions } from "../trail.js";
import { everyRole, GuardedRoutes, hasRole, isAtWorkbench, mayTry } from "./access.js";
import { adoptRoutes } from "./adopt-routes.js";
import type { AccountSummary, SessionAnswer, TrailAnswer } from "./answers/people.js";
import { changeRoutes } from "./change-routes.js";
import { connectionAnswer, databaseAnswer, tableAnswer } from "./database.js";
import { draftRoutes } from "./draft-routes.js";
import type { RolesNow } from "./feed.js";
import { pageFileAnswer } from "./page-file.js";
import { summaries } from "./pages.js";
import { peopleRoutes } from "./people-routes.js";
import { problem } from "./problem.js";
import { entryNumber, formOf, reading, textOf, texts } from "./queries.js";
import { latest, requestRoutes } from "./request-routes.js";
import { oneselfFirst } from "./trial.js";

interface ApiOptions extends EditedDatabase {
  /** All of them, this one included. */
  readonly databases: readonly EditedDatabase[];
  readonly application: string;
  readonly account: (request: Request) => Promise<Account | null>;
  readonly sessions: SignIns;
  /** Roles that need a second factor. */
  readonly factorRoles: readonly string[];
}

const trailAnswer = ({
  id,
  at,
  actorId,
  actorName,
  action,
  subject,
  subjectId,
  database,
  address,
  detail,
  times,
  last,
}: TrailEntry): TrailAnswer["entries"][number] => ({
  id,
  at: at.toISOString(),
  by: actorName,
  byId: actorId,
  action,
  what: Object.hasOwn(trailActions, action) ? trailActions[action as TrailAction] : action,
  subject,
  subjectId,
  database,
  address,
  detail,
  times,
  last: last?.toISOString() ?? null,
});

/** What conditions can ask of an actor, from what the accounts have. */
async function actorNames(store: Store): Promise<SessionAnswer["actorNames"]> {
  const attributes = (await store.accounts.all()).flatMap((account) => Object.entries(account.attributes));
  const types = new Map(attributes.map(([name, value]) => [name, Array.isArray(value) ? "list" : typeof value]));
  return [
    { name: "id", type: "string" },
    { name: "name", type: "string" },
    { name: "roles", type: "list" },
    ...[...types].map(([name, type]) => ({ name, type })),
  ];
}

/** What routes are added with. */
interface Adding {
  readonly routes: GuardedRoutes;
  readonly look: ReturnType<typeof lookIn>;
  readonly options: ApiOptions;
}

/** Who is at the workbench, and from where: nobody else gets to any route. */
function guard({ router }: GuardedRoutes, { account: accountOf, sessions }: ApiOptions): void {
  router.use(async (request, response, next) => {
    response.set("cache-control", "no-store");
    const account = await accountOf(request);
    if (!account) return problem(response, 401, "Signed out", "Sign in to use the workbench.");
    if (!isAtWorkbench(account))
      return problem(
        response,
        403,
        "No access",
        "The workbench is open to accounts with the role builder, administrator or auditor.",
      );
    const isReading = request.method === "GET" || request.method === "HEAD";
    if (!isReading && !sessions.hasCsrfToken(request, request.get("x-csrf-token")))
      return problem(
        response,
        403,
        "Not from the workbench",
        "The request does not carry the session's token. Reload the workbench.",
      );
    next();
  });
}

/** The session of whoever asks, and the feed of what happens. */
function addSession({ routes, look, options }: Adding): void {
  const { store, sessions, feed } = options;
  routes.get(everyRole, "/session", async (request, response) => {
    const account = await options.account(request);
    const answer: SessionAnswer = {
      person: account?.id ?? "",
      name: account?.name ?? "",
      application: options.application,
      actorNames: await actorNames(store),
      onPublish: options.onPublish,
      csrfToken: sessions.csrfToken(request),
      accountsHere: sessions.accountsHere,
      mount: options.mount,
      databases: options.databases.map(({ name }) => name),
      timeZones: [
        ...new Set(options.databases.flatMap(({ pages }) => pages.loaded().pages.map((page) => page.timeZone))),
      ],
      roles: (Object.keys(ownRoles) as OwnRole[]).filter((role) => account?.roles.includes(role)),
    };
    response.json(answer);
  });

  const rolesNow: RolesNow = async (requests) =>
    (await sessions.accountsNow(requests)).map((account) => (account ? account.roles : account));
  routes.get(everyRole, "/feed", async (request, response) => {
    const account = await options.account(request);
    if (!account) return problem(response, 401, "Signed out", "Sign in to use the workbench.");
    const joined = feed.join(request, response, account.id, rolesNow);
    if (!joined)
      return problem(
        response,
        429,
        "Too many windows",
        "The live feed is open in too many windows of yours. Close one.",
      );
    if (hasRole(account, "builder")) await look(request, "requests.read", latest);
  });
}

const [trailRead, recordsRead, firstRead, neighbourRead] = [
  reading({ before: entryNumber, action: formOf(/^[a-z.-]{1,63}$/), person: textOf(255) }),
  reading({ q: textOf(1000) }),
  reading({ as: textOf() }),
  reading({ key: texts, by: formOf(/^-?1$/) }),
];

/** The trail of who did what. */
function addTrail({ routes, options }: Adding): void {
  const { store } = options;
  routes.get(["auditor"], "/trail", async (request, response) => {
    const found = await store.trail.read({ ...trailRead(request.query), limit: 51 });
    const answer: TrailAnswer = {
      entries: found.slice(0, 50).map(trailAnswer),
      more: found.length > 50,
    };
    response.json(answer);
  });
}

/** The pages, what a page file can say, and records for the Sheet. */
function addPages({ routes, look, options }: Adding): void {
  const { store, desk, threads } = options;
  routes.get(["builder"], "/page-file", (_request, response) => {
    response.json(pageFileAnswer());
  });

  routes.get(["builder"], "/pages", async (request, response) => {
    await look(request, "requests.read", latest);
    response.json(await summaries(options));
  });

  /** Runs with the draft that is worked on, or the published text; what the desk or a thread refuses is answered as a problem. */
  const withDraft =
    (run: (draft: Draft, request: Request) => Promise<unknown>) =>
    async (request: Request<{ name: string }>, response: Response): Promise<void> => {
      try {
        if (!nameForm.test(request.params.name))
          throw new DeskRefusal("No such page", "A page's name has letters, digits, - and _.", 404);
        const draft = await desk.draft(request.params.name);
        mayTry(options, await options.account(request as Request), draft.text);
        await look(request as Request, "records.searched", draft.name, draft.name);
        response.json(await run(draft, request as Request));
      } catch (error) {
        if (!(error instanceof DeskRefusal)) throw error;
        problem(response, error.status, error.title, error.message);
      }
    };

  routes.get(
    ["builder"],
    "/pages/:name/records",
    withDraft((draft, request) => threads.run("records", { ...draft, search: recordsRead(request.query).q ?? "" })),
  );

  routes.get(
    ["builder"],
    "/pages/:name/extremes",
    withDraft((draft) => threads.run("extremes", draft)),
  );

  routes.get(
    ["builder"],
    "/pages/:name/first",
    withDraft(async (draft, request) =>
      threads.run("first", {
        ...draft,
        as: firstRead(request.query).as,
        people: oneselfFirst(await store.accounts.people(), await options.account(request)),
      }),
    ),
  );

  routes.get(
    ["builder"],
    "/pages/:name/neighbour",
    withDraft((draft, request) => {
      const { key, by } = neighbourRead(request.query);
      return threads.run("neighbour", { ...draft, key, by: by === "-1" ? -1 : 1 });
    }),
  );
}

/** The databases and their tables. */
function addDatabases({ routes, look, options }: Adding): void {
  const { store, pages } = options;
  routes.get(["builder"], "/databases", async (_request, response) => {
    response.json(await Promise.all(options.databases.map((each) => connectionAnswer(each))));
  });

  routes.get(["builder"], "/database", async (_request, response) => {
    response.json(await databaseAnswer(pages.loaded(), options.database, store));
  });

  routes.get(["builder"], "/database/:table", async (request, response) => {
    const account = await options.account(request as unknown as Request);
    const isSteward = account !== null && hasRole(account, "steward");
    const { table } = request.params;
    const answer = await tableAnswer(table, pages.loaded(), options.database, store, isSteward);
    if (answer?.sample) await look(request as unknown as Request, "records.searched", answer.table);
    if (answer) response.json(answer);
    else problem(response, 404, "No such table", "There is no table of this name that the connection may read.");
  });
}

/** The workbench's API: JSON, for builders, administrators and auditors, each for what is theirs. */
export function apiRoutes(options: ApiOptions): GuardedRoutes {
  const { store } = options;
  const routes = new GuardedRoutes(options.account);
  const look = lookIn(store, options.account);
  guard(routes, options);
  const adding: Adding = { routes, look, options };
  addSession(adding);
  routes.part("/people", peopleRoutes(options));
  addTrail(adding);
  routes.part("/changes", changeRoutes({ ...options, look }));
  addPages(adding);
  addDatabases(adding);
  routes.part("/adopt", adoptRoutes({ ...options, look }));
  routes.part("/drafts", draftRoutes({ ...options, look }));
  routes.part("/requests", requestRoutes({ ...options, look }));
  routes.get(["builder"], "/accounts", async (_request, response) => {
    const accounts = await store.accounts.all();
    response.json(accounts.map(({ id, name, roles, active }): AccountSummary => ({ id, name, roles, active })));
  });

  routes.router.use((_request, response) =>
    problem(response, 404, "No such address", "The workbench's API has nothing here."),
  );
  return routes;
}
