import { createHmac, timingSafeEqual } from "node:crypto";
import type { Actor } from "@loyal-quill/core";
import connectPgSimple from "connect-pg-simple";
import type { Request, RequestHandler } from "express";
import session from "express-session";
import type pg from "pg";
import type { Logger } from "pino";
import type { Account } from "../store/entities.js";
import type { Store } from "../store/store.js";

declare module "express-session" {
  interface SessionData {
    accountId: string;
    /** Set so that a session exists before the sign-in form is sent. */
    begun: true;
  }
}

const PgStore = connectPgSimple(session);

/** Sessions in PostgreSQL; the cookie is HttpOnly, SameSite=Lax, and Secure over HTTPS. */
export const sessions = (pool: pg.Pool, secret: string, logger: Logger): RequestHandler =>
  session({
    store: new PgStore({
      pool,
      tableName: "session",
      pruneSessionInterval: 15 * 60,
      errorLog: (...said) => logger.warn({ said }, "the session store failed"),
    }),
    name: "quill_session",
    secret,
    resave: false,
    saveUninitialized: false,
    rolling: false,
    cookie: { httpOnly: true, sameSite: "lax", secure: "auto", maxAge: 12 * 3_600_000 },
  });

/** A session's token against forged requests: an HMAC of the session's id, which never leaves the cookie itself. */
export const csrfToken = (request: Request, secret: string): string =>
  createHmac("sha256", secret).update(`csrf ${request.sessionID}`).digest("base64url");

/** Whether a request carries its session's token. */
export function hasCsrfToken(request: Request, token: unknown, secret: string): boolean {
  if (typeof token !== "string") return false;
  const [given, wanted] = [Buffer.from(token), Buffer.from(csrfToken(request, secret))];
  return given.length === wanted.length && timingSafeEqual(given, wanted);
}

/** An account as the pages know it. */
export const actorOf = (account: Account): Actor => ({
  id: account.id,
  name: account.name,
  roles: account.roles,
  attributes: account.attributes,
});

/** The account of the request's session; none where it was switched off since. Asked of the store once a request. */
export function accountOf(request: Request, store: Store): Promise<Account | null> {
  const known = found.get(request);
  if (known) return known;
  const { accountId } = request.session;
  const asked =
    accountId === undefined
      ? Promise.resolve(null)
      : store.account(accountId).then((account) => (account?.active ? account : null));
  found.set(request, asked);
  return asked;
}

const found = new WeakMap<Request, Promise<Account | null>>();
