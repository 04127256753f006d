import { randomUUID } from "node:crypto";
import type { Database } from "@loyal-quill/core";
import type { Pages } from "@loyal-quill/runtime";
import express, { type Request } from "express";
import * as v from "valibot";
import { hashPassword, newPassword } from "../sign-in/passwords.js";
import { digestOf, newToken } from "../sign-in/tokens.js";
import type { Account, Token } from "../store/entities.js";
import type { Store } from "../store/store.js";
import { mayAnswers, personAnswer } from "./people.js";
import { problem } from "./problem.js";
import { plain } from "./shapes.js";
import type { TokenAnswer } from "./types.js";

const line = v.pipe(plain, v.trim(), v.minLength(1, "must not be empty"), v.maxLength(200));
const attribute = v.union([
  v.null_(),
  v.boolean(),
  v.number(),
  v.pipe(plain, v.maxLength(1000)),
  v.pipe(v.array(v.pipe(plain, v.maxLength(200))), v.maxLength(200)),
]);
const person = v.strictObject({
  email: v.pipe(line, v.email("must be an e-mail address")),
  name: line,
  roles: v.pipe(v.array(line), v.maxLength(50)),
  attributes: v.record(v.pipe(plain, v.regex(/^[A-Za-z_]\w{0,60}$/, "must be a name like region_id")), attribute),
  active: v.boolean(),
});

export interface PeopleRouteOptions {
  readonly store: Store;
  readonly pages: Pages;
  readonly database: Database;
  readonly account: (request: Request) => Promise<Account | null>;
}

/** Accounts, roles, and what each may open and edit. */
export function peopleRoutes({ store, pages, database, account }: PeopleRouteOptions): express.Router {
  const router = express.Router();
  router.use(express.json({ limit: "200kb" }));

  router.get("/", async (_request, response) => {
    response.json((await store.accounts()).map(personAnswer));
  });

  const isTaken = async (email: string, id: string): Promise<boolean> => {
    const other = await store.accountByEmail(email);
    return other !== null && other.id !== id;
  };

  router.get("/:id/may", async (request, response) => {
    const found = (await store.accounts()).find((each) => each.id === request.params.id);
    if (!found) return problem(response, 404, "No such account", "It may have been removed.");
    response.json(await mayAnswers(found, pages.loaded().pages, database));
  });

  router.post("/", async (request, response) => {
    const body = v.safeParse(person, request.body ?? {});
    if (!body.success) return notUnderstood(response, body.issues[0]);
    const id = randomUUID();
    const email = body.output.email.toLowerCase();
    if (await isTaken(email, id)) return problem(response, 409, "Taken", `There is an account of ${email} already.`);
    const password = newPassword();
    const made: Account = { ...body.output, email, id, passwordHash: await hashPassword(password) };
    await store.keepAccount(made);
    response.status(201).json({ person: personAnswer(made), password });
  });

  router.put("/:id", async (request, response) => {
    const body = v.safeParse(person, request.body ?? {});
    if (!body.success) return notUnderstood(response, body.issues[0]);
    const found = (await store.accounts()).find((each) => each.id === request.params.id);
    if (!found) return problem(response, 404, "No such account", "It may have been removed.");
    const email = body.output.email.toLowerCase();
    if (await isTaken(email, found.id))
      return problem(response, 409, "Taken", `There is an account of ${email} already.`);
    const self = await account(request);
    const next: Account = { ...found, ...body.output, email };
    if (self?.id === found.id && !(next.active && next.roles.includes("builder")))
      return problem(
        response,
        409,
        "You would lock yourself out",
        "Let another builder take your own role or switch you off.",
      );
    await store.keepAccount(next);
    response.json({ person: personAnswer(next) });
  });

  router.post("/:id/password", async (request, response) => {
    const found = (await store.accounts()).find((each) => each.id === request.params.id);
    if (!found) return problem(response, 404, "No such account", "It may have been removed.");
    const password = newPassword();
    await store.keepAccount({ ...found, passwordHash: await hashPassword(password) });
    response.json({ person: personAnswer(found), password });
  });

  router.get("/:id/tokens", async (request, response) => {
    response.json((await store.tokens(request.params.id)).map(tokenAnswer));
  });

  router.post("/:id/tokens", async (request, response) => {
    const body = v.safeParse(tokenShape, request.body ?? {});
    if (!body.success) return notUnderstood(response, body.issues[0]);
    const found = await store.account(request.params.id);
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
    await store.keepToken(made);
    response.status(201).json({ made: tokenAnswer(made), token });
  });

  router.delete("/:id/tokens/:token", async (request, response) => {
    const { id, token } = request.params;
    if (!v.is(uuid, token) || !(await store.removeToken(token, id)))
      return problem(response, 404, "No such token", "It may have been revoked already.");
    response.json({ revoked: token });
  });

  return router;
}

const uuid = v.pipe(v.string(), v.uuid());

const tokenShape = v.strictObject({
  name: line,
  /** Null for all pages of the account. */
  pages: v.nullable(v.pipe(v.array(line), v.minLength(1, "must name a page"), v.maxLength(1000))),
  days: v.pipe(v.number(), v.integer(), v.minValue(1), v.maxValue(366)),
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

function notUnderstood(response: express.Response, issue: v.BaseIssue<unknown>): void {
  const at = (issue.path ?? []).map((part) => String(part.key)).join(".");
  problem(response, 400, "Not understood", `${at === "" ? "The account" : at}: ${issue.message}`);
}
