import { createHash, randomBytes } from "node:crypto";
import type { Database, Statement } from "@loyal-quill/core";
import { databaseOver } from "@loyal-quill/runtime";
import connectPgSimple from "connect-pg-simple";
import { parse } from "cookie";
import type { CookieOptions, Request, RequestHandler, Response } from "express";
import session from "express-session";
import type pg from "pg";
import type { Logger } from "pino";
import { addressOf } from "../edge.js";
import type { Keys } from "../keys.js";
import { type AccountRow, accountOfRow } from "../store/accounts.js";
import { connectionLimits } from "../store/connection.js";
import type { Account } from "../store/entities.js";
import type { Store } from "../store/store.js";
import type { SessionSummary, SignIns } from "./sign-ins.js";

declare module "express-session" {
  interface SessionData {
    accountId: string;
    /** The account's count of sessions that were ended: a session of an earlier count is none any more. */
    epoch: number;
    /** When it began, in milliseconds since 1970. */
    since: number;
    address: string;
    agent: string;
    /** What a provider of single sign-on is told when it ends. */
    idToken?: string;
  }
}

const PgStore = connectPgSimple(session);

const sessionStatement = (sid: string): Statement => ({
  purpose: "the session and its account",
  text: `SELECT s.sess::text AS "sess", to_jsonb(a)::text AS "account" FROM session AS s LEFT JOIN account AS a ON a.id = s.account_id
WHERE s.sid = $1 AND s.expire >= now()`,
  values: [sid],
});

/** Of so many sessions it is known when they were last kept alive here. */
const mostTouched = 10_000;

/**
 * Sessions as one page after the other asks for them: a session comes with its account, in one statement, and is kept alive at most once in a
 * while. What is signed in is judged anew with each request; only how long it was idle is known no more exactly than that.
 */
class SessionStore extends PgStore {
  private readonly database: Database;
  private readonly touched = new Map<string, number>();
  private readonly withSessions = new WeakMap<object, Account>();
  private readonly withRequests = new WeakMap<object, Account>();

  constructor(
    pool: pg.Pool,
    /** Milliseconds within which a session is not kept alive a second time. */
    private readonly every: number,
    /** Milliseconds without a request after which a session ends. */
    private readonly idle: number,
    private readonly failed: (error: unknown) => void,
    options: ConstructorParameters<typeof PgStore>[0],
  ) {
    super({ ...options, pool });
    this.database = databaseOver(pool, { statement: connectionLimits.query_timeout });
  }

  override get(sid: string, tell: (error: unknown, found?: session.SessionData | null) => void): void {
    this.database
      .run(sessionStatement(sid))
      .then(([row]) => {
        if (!row?.sess) return null;
        const found = JSON.parse(row.sess) as session.SessionData;
        if (row.account) this.withSessions.set(found, accountOfRow(JSON.parse(row.account) as AccountRow));
        return found;
      })
      .then(
        (found) => tell(null, found),
        (error: unknown) => tell(error),
      );
  }

  /** What is kept ends once nobody has asked for so long; the browser's cookie, which is sent only where a session begins, may stay longer. */
  private alive(kept: session.SessionData): session.SessionData {
    return { ...kept, cookie: { ...kept.cookie, expires: new Date(Date.now() + this.idle) } };
  }

  override set(sid: string, kept: session.SessionData, then?: (error?: unknown) => void): void {
    super.set(sid, this.alive(kept), then);
  }

  override createSession(request: Request, found: session.SessionData): ReturnType<session.Store["createSession"]> {
    const account = this.withSessions.get(found);
    if (account) this.withRequests.set(request, account);
    return super.createSession(request, found);
  }

  /** The account that the session of a request came with. */
  accountOf(request: Request): Account | null {
    return this.withRequests.get(request) ?? null;
  }

  /** Where that fails, nobody is left to be told, and Express would write what the database said past the log. */
  override touch(sid: string, kept: session.SessionData, then?: () => void): void {
    const now = performance.now();
    if (now - (this.touched.get(sid) ?? Number.NEGATIVE_INFINITY) < this.every) {
      then?.();
      return;
    }
    this.touched.delete(sid);
    this.touched.set(sid, now);
    const [oldest] = this.touched.keys();
    if (this.touched.size > mostTouched && oldest !== undefined) this.touched.delete(oldest);
    super.touch(sid, this.alive(kept), (error?: unknown) => {
      if (error) {
        this.touched.delete(sid);
        this.failed(error);
      }
      then?.();
    });
  }
}

interface SessionOptions {
  readonly pool: pg.Pool;
  readonly keys: Keys;
  readonly logger: Logger;
  /** Whether everything comes over HTTPS: the cookies are Secure and bound to this host then (RFC 6265bis, 4.1.3.2). */
  readonly secure: boolean;
  /** Minutes without a request after which a session ends, and after which it ends in any case. */
  readonly idle: number;
  readonly end: number;
}

/** How the account of a request stands: signed in, but for what must be done first. */
export interface SignedIn {
  readonly account: Account;
  readonly first: "password" | "second factor" | null;
}

const markOf = (sid: string): string => createHash("sha256").update(`session ${sid}`).digest("base64url").slice(0, 22);

/** Sessions in PostgreSQL, and the cookies around them: HttpOnly and SameSite=Lax. */
export class Sessions implements SignIns {
  readonly handler: RequestHandler;
  readonly accountsHere = true;
  private readonly sessions: SessionStore;
  private readonly found = new WeakMap<Request, Promise<SignedIn | null>>();
  private readonly nonces = new WeakMap<Request, string>();

  constructor(
    private readonly options: SessionOptions,
    private readonly store: Store,
    /** Roles that need a second factor. */
    private readonly factorRoles: readonly string[],
  ) {
    const { pool, keys, logger, end } = options;
    const idle = options.idle * 60_000;
    const every = Math.min(60_000, idle / 10);
    this.sessions = new SessionStore(
      pool,
      every,
      idle,
      (error) => logger.warn({ err: error }, "a session could not be kept alive"),
      {
        tableName: "session",
        pruneSessionInterval: 15 * 60,
        errorLog: (...said) =>
          logger.warn({ err: said.find((each) => each instanceof Error) }, "the session store failed"),
      },
    );
    this.handler = session({
      store: this.sessions,
      name: this.named("quill_session"),
      secret: keys.all("session cookie").map((key) => key.toString("hex")),
      resave: false,
      saveUninitialized: false,
      // The cookie goes out where a session begins. With each answer one that was still under way would bring back the session of before.
      rolling: false,
      cookie: { ...this.cookie, maxAge: end * 60_000 },
      genid: () => randomBytes(32).toString("base64url"),
    });
  }

  private get cookie(): CookieOptions {
    return { httpOnly: true, sameSite: "lax", secure: this.options.secure, path: "/" };
  }

  private named(name: string): string {
    return this.options.secure ? `__Host-${name}` : name;
  }

  private read(request: Request, name: string): string | null {
    return parse(request.headers.cookie ?? "")[this.named(name)] ?? null;
  }

  /** Begins a session of an account in place of whatever there was, and keeps it before the answer goes out. */
  async begin(request: Request, response: Response, account: Account, idToken?: string): Promise<void> {
    await done((then) => request.session.regenerate(then));
    Object.assign(request.session, {
      accountId: account.id,
      epoch: account.sessionEpoch,
      since: Date.now(),
      address: addressOf(request),
      agent: (request.get("user-agent") ?? "").slice(0, 200),
      ...(idToken === undefined ? {} : { idToken }),
    });
    await done((then) => request.session.save(then));
    response.clearCookie(this.named("quill_before"), this.cookie);
    const device = `${account.id}.${this.options.keys.sign("device", account.id)}`;
    response.cookie(this.named("quill_device"), device, { ...this.cookie, maxAge: 180 * 86_400_000 });
    this.found.set(request, Promise.resolve(this.judged(request, account)));
  }

  /** Ends the session of a request. */
  async end(request: Request, response: Response): Promise<void> {
    await done((then) => request.session.destroy(then));
    response.clearCookie(this.named("quill_session"), this.cookie);
  }

  /** Goes on with the session of a request after all sessions of its account were ended. */
  async goOn(request: Request, account: Account): Promise<void> {
    const { since, address, agent, idToken } = request.session;
    await done((then) => request.session.regenerate(then));
    Object.assign(request.session, {
      accountId: account.id,
      epoch: account.sessionEpoch,
      since,
      address,
      agent,
      idToken,
    });
    await done((then) => request.session.save(then));
    this.found.set(request, Promise.resolve(this.judged(request, account)));
  }

  /** Who signed in, as the store told with the session; null where nobody did, the session has ended or the account is off. */
  signedIn(request: Request): Promise<SignedIn | null> {
    const known = this.found.get(request);
    if (known) return known;
    const account = request.session?.accountId === undefined ? null : this.sessions.accountOf(request);
    const found = Promise.resolve(account && this.judged(request, account));
    this.found.set(request, found);
    return found;
  }

  /** The account of a request; null where something must be done first. */
  async account(request: Request): Promise<Account | null> {
    const found = await this.signedIn(request);
    return found && found.first === null ? found.account : null;
  }

  /** In two statements, however many there are. */
  async accountsNow(requests: readonly Request[]): Promise<readonly (Account | null)[]> {
    const { rows } = await this.options.pool.query<{ sid: string }>(
      "SELECT sid FROM session WHERE sid = ANY($1) AND expire > now()",
      [requests.map(({ sessionID }) => sessionID)],
    );
    const there = new Set(rows.map(({ sid }) => sid));
    const idOf = ({ session }: Request): string | undefined => session?.accountId;
    const accounts = await this.store.accounts.of(requests.flatMap((request) => idOf(request) ?? []));
    return requests.map((request) => {
      const account = accounts.get(idOf(request) ?? "");
      if (!account || !there.has(request.sessionID)) return null;
      const judged = this.judged(request, account);
      this.found.set(request, Promise.resolve(judged));
      return judged && judged.first === null ? judged.account : null;
    });
  }

  private judged(request: Request, account: Account): SignedIn | null {
    const { epoch, since = 0 } = request.session;
    const isOver = Date.now() - since > this.options.end * 60_000;
    if (isOver || epoch !== account.sessionEpoch || !account.active) return null;
    const needsFactor = account.totpSecret === null && account.roles.some((role) => this.factorRoles.includes(role));
    // Who signs in elsewhere has both there.
    const isElsewhere = account.issuer !== null && request.session.idToken !== undefined;
    const first = isElsewhere ? null : account.mustChangePassword ? "password" : needsFactor ? "second factor" : null;
    return { account, first };
  }

  /** The sessions of an account that have not ended, the last used first. */
  async of(accountId: string): Promise<readonly SessionSummary[]> {
    return (await this.rows(accountId)).map(({ sid, sess, expire }) => ({
      id: markOf(sid),
      since: new Date(sess.since ?? 0),
      used: new Date(expire.getTime() - this.options.idle * 60_000),
      address: sess.address ?? "",
      agent: sess.agent ?? "",
    }));
  }

  /** What stands for the session of a request among those of its account. */
  markOf(request: Request): string {
    return markOf(request.sessionID);
  }

  /** Ends one session of an account. @returns whether there was one */
  async endOne(accountId: string, id: string): Promise<boolean> {
    const row = (await this.rows(accountId)).find(({ sid }) => markOf(sid) === id);
    if (!row) return false;
    await this.options.pool.query("DELETE FROM session WHERE sid = $1", [row.sid]);
    return true;
  }

  private async rows(accountId: string) {
    const { rows } = await this.options.pool.query<{
      sid: string;
      sess: { since?: number; address?: string; agent?: string; epoch?: number };
      expire: Date;
    }>(
      `SELECT s.sid, s.sess, s.expire FROM session AS s JOIN account AS a ON a.id = s.account_id
       WHERE s.account_id = $1 AND s.expire > now() AND (s.sess->>'epoch')::integer = a.session_epoch
         AND (s.sess->>'since')::double precision > $2
       ORDER BY s.expire DESC`,
      [accountId, Date.now() - this.options.end * 60_000],
    );
    return rows;
  }

  /** A session's token against forged requests: signed over the session's id, which never leaves the cookie itself. */
  csrfToken(request: Request): string {
    return this.options.keys.sign("requests", `csrf ${request.sessionID}`);
  }

  /** Whether a request carries its session's token. */
  hasCsrfToken(request: Request, token: unknown): boolean {
    return this.options.keys.isSigned("requests", `csrf ${request.sessionID}`, token);
  }

  /** What the forms of a session are bound to: the same whichever key signs. */
  formsOf(request: Request): string {
    return createHash("sha256").update(`forms ${request.sessionID}`).digest("base64url");
  }

  /**
   * The token of a form for somebody who isn't signed in: signed over a random cookie, so that nothing has to be kept of whoever only
   * looks (OWASP, signed double submit cookie).
   */
  before(request: Request, response: Response): string {
    let nonce = this.nonceOf(request);
    if (nonce === null) {
      nonce = randomBytes(32).toString("base64url");
      this.nonces.set(request, nonce);
      response.cookie(this.named("quill_before"), nonce, { ...this.cookie, maxAge: 3_600_000 });
    }
    return this.options.keys.sign("before sign-in", nonce);
  }

  private nonceOf(request: Request): string | null {
    const known = this.nonces.get(request) ?? this.read(request, "quill_before");
    return known !== null && /^[\w-]{43}$/.test(known) ? known : null;
  }

  isFromBefore(request: Request, token: unknown): boolean {
    const nonce = this.nonceOf(request);
    return nonce !== null && this.options.keys.isSigned("before sign-in", nonce, token);
  }

  /** Signs something for the browser in which it is; see {@link opened}. */
  sealed(request: Request, what: unknown): string {
    const json = JSON.stringify(what);
    const nonce = this.nonceOf(request) ?? "";
    return `${this.options.keys.sign("before sign-in", `sealed ${nonce} ${json}`)}.${json}`;
  }

  /** What was signed for this browser; null where it was not. */
  opened(request: Request, sealed: unknown): unknown {
    const nonce = this.nonceOf(request);
    const dot = typeof sealed === "string" ? sealed.indexOf(".") : -1;
    if (typeof sealed !== "string" || dot < 0 || nonce === null) return null;
    const json = sealed.slice(dot + 1);
    const isOurs = this.options.keys.isSigned("before sign-in", `sealed ${nonce} ${json}`, sealed.slice(0, dot));
    return isOurs ? JSON.parse(json) : null;
  }

  /** Keeps something in the browser for a while, reads it, forgets it. */
  keep(response: Response, name: string, text: string, maxAge: number): void {
    response.cookie(this.named(name), text, { ...this.cookie, maxAge });
  }

  kept(request: Request, name: string): string | null {
    return this.read(request, name);
  }

  forget(response: Response, name: string): void {
    response.clearCookie(this.named(name), this.cookie);
  }

  /** What stands for the device of a request, where this account has signed in on it before. */
  device(request: Request, accountId: string | undefined): string | null {
    const [id = "", signature] = (this.read(request, "quill_device") ?? "").split(".");
    const isKnown = id === accountId && this.options.keys.isSigned("device", id, signature);
    return isKnown && signature !== undefined ? `${id} ${signature.slice(0, 22)}` : null;
  }
}

const done = (run: (then: (error?: unknown) => void) => void): Promise<void> =>
  new Promise((resolve, reject) => run((error) => (error ? reject(error) : resolve())));
