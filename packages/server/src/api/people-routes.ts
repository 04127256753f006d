import { randomUUID } from "node:crypto";
import { isDeepStrictEqual } from "node:util";
import { type Database, recordOf } from "@loyal-quill/core";
import type { Pages } from "@loyal-quill/runtime";
import express, { type Request } from "express";
import * as v from "valibot";
import { accountShape, line, makeAccount, saidOf } from "../sign-in/new-account.js";
import { digestOf, hashPassword, newPassword } from "../sign-in/passwords.js";
import type { SignIns } from "../sign-in/sign-ins.js";
import { newToken } from "../sign-in/tokens.js";
import type { AccountChange } from "../store/accounts.js";
import { type Account, actorOf, type Token } from "../store/entities.js";
import type { Store } from "../store/store.js";
import { doerOf, note, type TrailAction } from "../trail.js";
import { GuardedRoutes } from "./access.js";
import type { PersonSession, TokenAnswer } from "./answers/people.js";
import { mayAnswers, personAnswer } from "./people.js";
import { problem } from "./problem.js";
import { plain } from "./shapes.js";

/** An account as it shall be, beside what it was when it was shown: what is the same in both is left as it is meanwhile. */
const changedPerson = v.strictObject({
  ...accountShape.entries,
  was: v.strictObject({
    email: plain,
    name: plain,
    roles: v.array(plain),
    attributes: recordOf(plain, v.unknown()),
    active: v.boolean(),
  }),
});

/** What of an account can be changed, and what it is called. */
const fields = {
  email: "the e-mail address",
  name: "the name",
  roles: "the roles",
  attributes: "the attributes",
  active: "whether the account can sign in",
} as const;

const isAdministrator = ({ active, roles }: Pick<Account, "active" | "roles">): boolean =>
  active && roles.includes("administrator");

/** What becomes of an account: only what was changed of it, unless somebody else has changed the same meanwhile. */
function decide(
  { was, ...asked }: v.InferOutput<typeof changedPerson>,
  found: Account,
  others: readonly Account[],
): { readonly change: AccountChange } | { readonly title: string; readonly detail: string } {
  const touched = (Object.keys(fields) as (keyof typeof fields)[]).filter(
    (name) => !isDeepStrictEqual(asked[name], was[name]),
  );
  const meanwhile = touched.filter(
    (name) => !isDeepStrictEqual(found[name], was[name]) && !isDeepStrictEqual(found[name], asked[name]),
  );
  if (meanwhile.length > 0)
    return {
      title: "Changed meanwhile",
      detail: `Somebody else has changed ${meanwhile.map((name) => fields[name]).join(", ")}. Nothing was saved.`,
    };
  const change = Object.fromEntries(touched.map((name) => [name, asked[name]])) as AccountChange;
  const next = { ...found, ...change };
  if (others.some(({ email }) => email === next.email))
    return { title: "Taken", detail: `There is an account of ${next.email} already.` };
  if (isAdministrator(found) && !isAdministrator(next) && !others.some(isAdministrator))
    return {
      title: "Nobody could look after accounts",
      detail: "This is the last administrator. Give somebody else the role administrator first.",
    };
  return { change };
}

interface PeopleRouteOptions {
  readonly store: Store;
  readonly pages: Pages;
  readonly database: Database;
  readonly account: (request: Request) => Promise<Account | null>;
  readonly sessions: SignIns;
}

const uuid = v.pipe(v.string(), v.uuid());

const tokenShape = v.strictObject({
  name: line,
  /** Null for all pages of the account. */
  pages: v.nullable(
    v.pipe(v.array(line), v.minLength(1, "must be one at least"), v.maxLength(1000, "must be at most 1,000")),
  ),
  days: v.pipe(
    v.number(),
    v.integer("must be whole days"),
    v.minValue(1, "must be a day at least"),
    v.maxValue(366, "must be at most 366 days"),
  ),
});

const tokenAnswer = ({
  id,
  name,
  pages,
  madeAt,
  madeBy,
  endsAt,
  usedAt,
}: Omit<Token, "database" | "digest">): TokenAnswer => ({
  id,
  name,
  pages,
  madeAt: madeAt.toISOString(),
  madeBy,
  endsAt: endsAt.toISOString(),
  usedAt: usedAt?.toISOString() ?? null,
});

const notUnderstood = (response: express.Response, issue: v.BaseIssue<unknown>): void =>
  problem(response, 400, "Not understood", saidOf(issue));

/** What of a refused new account is answered. */
const refusals = {
  "not-understood": { status: 400, title: "Not understood" },
  taken: { status: 409, title: "Taken" },
  gone: { status: 409, title: "Removed meanwhile" },
} as const;

/** What the routes have in common. */
class PeopleRoutes {
  readonly routes: GuardedRoutes;

  constructor(readonly options: PeopleRouteOptions) {
    this.routes = new GuardedRoutes(options.account);
  }

  readonly theOne = async (id: string): Promise<Account | null> =>
    v.is(uuid, id) ? this.options.store.accounts.one(id) : null;

  /** Notes in the trail what was done to an account. */
  readonly tell = async (
    request: Request,
    action: TrailAction,
    { email, id }: Account,
    detail: Record<string, string> = {},
  ): Promise<void> => {
    const { store, account } = this.options;
    await note(store, doerOf(request, await account(request)), action, { name: email, id }, detail);
  };
}

/** Accounts: who there is, what each may, new ones, changed ones. */
function addAccounts({ routes, theOne, tell, options }: PeopleRoutes): void {
  const { store, pages, database } = options;
  routes.get(["administrator", "builder"], "/", async (_request, response) => {
    response.json((await store.accounts.all()).map(personAnswer));
  });

  routes.get(["administrator", "builder"], "/:id/may", async (request, response) => {
    const found = await theOne(request.params.id);
    if (!found) return problem(response, 404, "No such account", "It may have been removed.");
    response.json(await mayAnswers(actorOf(found), pages.loaded().pages, database));
  });

  routes.post(["administrator"], "/", async (request, response) => {
    const made = await makeAccount(store, request.body ?? {}, doerOf(request, await options.account(request)));
    if ("refused" in made) {
      const { status, title } = refusals[made.refused];
      return problem(response, status, title, made.said);
    }
    response.status(201).json({ person: personAnswer(made.account), password: made.password });
  });

  routes.put(["administrator"], "/:id", async (request, response) => {
    const body = v.safeParse(changedPerson, request.body ?? {});
    if (!body.success) return notUnderstood(response, body.issues[0]);
    const id = v.is(uuid, request.params.id) ? request.params.id : "";
    const came =
      id === "" ? null : await store.accounts.revise(id, (found, others) => decide(body.output, found, others));
    if (came === null) return problem(response, 404, "No such account", "It may have been removed.");
    if ("title" in came) return problem(response, 409, came.title, came.detail);
    const { before, after } = came;
    if (before.active && !after.active) await store.accounts.endSessions(id);
    const changed = (["email", "name", "roles", "attributes"] as const).filter(
      (each) => !isDeepStrictEqual(before[each], after[each]),
    );
    if (before.active !== after.active)
      await tell(request, after.active ? "account.enabled" : "account.disabled", after);
    if (changed.length > 0)
      await tell(request, "account.changed", after, {
        what: changed.join(", "),
        ...(changed.includes("roles") ? { before: before.roles.join(", "), after: after.roles.join(", ") } : {}),
      });
    response.json({ person: personAnswer(after) });
  });
}

/** Another password, and no second factor, for who has lost theirs. */
function addLost({ routes, theOne, tell, options }: PeopleRoutes): void {
  const { store } = options;
  routes.post(["administrator"], "/:id/password", async (request, response) => {
    const found = await theOne(request.params.id);
    if (!found) return problem(response, 404, "No such account", "It may have been removed.");
    const password = newPassword();
    await store.accounts.change(found.id, { passwordHash: await hashPassword(password), mustChangePassword: true });
    await store.accounts.endSessions(found.id);
    await tell(request, "password.reset", found);
    response.json({ person: personAnswer(found), password });
  });

  routes.delete(["administrator"], "/:id/factor", async (request, response) => {
    const found = await theOne(request.params.id);
    if (!found) return problem(response, 404, "No such account", "It may have been removed.");
    await store.accounts.change(found.id, { totpSecret: null, totpStep: 0, recovery: null });
    await store.accounts.endSessions(found.id);
    await tell(request, "factor.off", found);
    response.json({ person: personAnswer((await store.accounts.one(found.id)) ?? found) });
  });
}

/** Sessions, seen and ended. */
function addSessions({ routes, theOne, tell, options }: PeopleRoutes): void {
  const { store, sessions } = options;
  routes.get(["administrator"], "/:id/sessions", async (request, response) => {
    const found = await theOne(request.params.id);
    if (!found) return problem(response, 404, "No such account", "It may have been removed.");
    const answer = (await sessions.of(found.id)).map(
      ({ since, used, address, agent }): PersonSession => ({
        since: since.toISOString(),
        used: used.toISOString(),
        address,
        agent,
      }),
    );
    response.json(answer);
  });

  routes.delete(["administrator"], "/:id/sessions", async (request, response) => {
    const found = await theOne(request.params.id);
    if (!found) return problem(response, 404, "No such account", "It may have been removed.");
    await store.accounts.endSessions(found.id);
    await tell(request, "session.ended", found, { which: "all" });
    response.json({ ended: found.id });
  });
}

/** Tokens of the pages as an API. */
function addTokens({ routes, theOne, tell, options }: PeopleRoutes): void {
  const { store, account } = options;
  routes.get(["administrator"], "/:id/tokens", async (request, response) => {
    const found = await theOne(request.params.id);
    if (!found) return problem(response, 404, "No such account", "It may have been removed.");
    response.json((await store.tokens.of(found.id)).map(tokenAnswer));
  });

  routes.post(["administrator"], "/:id/tokens", async (request, response) => {
    const body = v.safeParse(tokenShape, request.body ?? {});
    if (!body.success) return notUnderstood(response, body.issues[0]);
    const found = await theOne(request.params.id);
    if (!found) return problem(response, 404, "No such account", "It may have been removed.");
    const self = await account(request);
    const token = newToken();
    const madeAt = new Date();
    const made = {
      id: randomUUID(),
      name: body.output.name,
      digest: digestOf(token),
      accountId: found.id,
      pages: body.output.pages,
      madeAt,
      madeBy: self?.name ?? "",
      endsAt: new Date(madeAt.getTime() + body.output.days * 86_400_000),
      usedAt: null,
    };
    await store.tokens.keep(made);
    await tell(request, "token.made", found, { token: made.name, ends: made.endsAt.toISOString() });
    response.status(201).json({ made: tokenAnswer(made), token });
  });

  routes.delete(["administrator"], "/:id/tokens/:token", async (request, response) => {
    const { id, token } = request.params;
    const found = await theOne(id);
    if (!found || !v.is(uuid, token) || !(await store.tokens.remove(token, id)))
      return problem(response, 404, "No such token", "It may have been revoked already.");
    await tell(request, "token.revoked", found);
    response.json({ revoked: token });
  });
}

/** Accounts, roles, and what each may open and edit. */
export function peopleRoutes(options: PeopleRouteOptions): GuardedRoutes {
  const people = new PeopleRoutes(options);
  const { routes } = people;
  const { sessions } = options;
  routes.router.use((request, response, next) => {
    if (request.method === "GET" || sessions.accountsHere) return next();
    problem(
      response,
      409,
      "Accounts are elsewhere",
      "People have their accounts in the application that this workbench is a part of. Change them there.",
    );
  });
  routes.router.use(express.json({ limit: "200kb" }));
  for (const add of [addAccounts, addLost, addSessions, addTokens]) add(people);
  return routes;
}
