import { document, html, type Markup } from "@loyal-quill/core";
import express, { type Request, type Response } from "express";
import type { Keys } from "../keys.js";
import type { Account } from "../store/entities.js";
import type { Store } from "../store/store.js";
import { doerOf, note } from "../trail.js";
import { type ServerWord, say } from "../words.js";
import { type AccountView, factorPart, passwordForm, type Said, sessionsPart } from "./account-page.js";
import { lockSecret, newFactorSecret, newRecoveryCodes, recoveryDigest, stepOfCode, unlockSecret } from "./factor.js";
import { alertLine, type FrameFor, hidden, safeNext } from "./form.js";
import type { SignInLimits } from "./limits.js";
import { hashPassword, passwordProblem, verifyPassword } from "./passwords.js";
import type { Sessions, SignedIn } from "./session.js";

interface MyAccountOptions {
  readonly store: Store;
  readonly keys: Keys;
  readonly sessions: Sessions;
  readonly limits: SignInLimits;
  readonly frame: FrameFor;
  readonly application: string;
  readonly passwords: boolean;
  /** Roles that need a second factor. */
  readonly factorRoles: readonly string[];
}

const field = (request: Request, name: string): string => {
  const given = ((request.body ?? {}) as Readonly<Record<string, unknown>>)[name];
  return typeof given === "string" ? given.slice(0, 1000) : "";
};

const subjectOf = ({ email, id }: Account): { name: string; id: string } => ({ name: email, id });

/** What the routes of the page have in common. */
class AccountRoutes {
  readonly router = express.Router();

  constructor(readonly options: MyAccountOptions) {
    this.router.use(express.urlencoded({ extended: false, limit: "20kb" }));
  }

  async show(request: Request, response: Response, { account, first }: SignedIn, said: Said = {}): Promise<void> {
    const { frame, sessions, passwords, application, factorRoles, keys } = this.options;
    const around = frame(request);
    const { language } = around;
    const token = html`${hidden("token", sessions.csrfToken(request))}${hidden("next", safeNext(request.query.next ?? (request.body as { next?: unknown } | undefined)?.next))}`;
    const lock = (secret: string): string => lockSecret(secret, `new ${account.id} ${request.sessionID}`, keys);
    const view: AccountView = { language, said, around: token, account, application, factorRoles, lock };
    const hasPassword = passwords && account.passwordHash !== null;
    const demand = first === "password" ? "password-first" : first === "second factor" ? "factor-first" : null;
    const parts: (Markup | false | null)[] =
      first === "password"
        ? [passwordForm(view)]
        : first === "second factor"
          ? [factorPart(view)]
          : [
              said.codes || said.secret !== undefined ? factorPart(view) : null,
              hasPassword && passwordForm(view),
              hasPassword && !said.codes && said.secret === undefined && factorPart(view),
              sessionsPart(view, await sessions.of(account.id), sessions.markOf(request)),
            ];
    const own = html`<dl class="quill-key"><div><dt>${say(language, "email")}</dt><dd>${account.email}</dd></div><div><dt>${say(language, "roles")}</dt><dd>${account.roles.join(", ") || say(language, "none")}</dd></div></dl>`;
    const main = html`<div class="quill-account"><h1>${say(language, "my-account")}</h1>${said.done && html`<p class="quill-said" role="status">${say(language, said.done)}</p>`}${alertLine(language, said.alert ?? null)}${demand && html`<p class="quill-locked" role="status">${say(language, demand)}</p>`}${own}${parts}</div>`;
    const person = { name: account.name, account: "/my-account" };
    const signOut = { action: "/sign-out", token: sessions.csrfToken(request) };
    response
      .status(said.status ?? 200)
      .type("html")
      .set("cache-control", "no-store")
      .send(document({ ...around, person, signOut }, say(language, "my-account"), main));
  }

  /** Runs for whoever is signed in; what changes something carries the session's token. */
  readonly own =
    (run: (found: SignedIn, request: Request, response: Response) => Promise<void>) =>
    async (request: Request, response: Response): Promise<void> => {
      const found = await this.options.sessions.signedIn(request);
      if (!found) return response.redirect(303, "/sign-in?next=/my-account");
      if (request.method !== "GET" && !this.options.sessions.hasCsrfToken(request, field(request, "token")))
        return this.show(request, response, found, { status: 403, alert: "account-stale" });
      await run(found, request, response);
    };

  /** After something that had to be done first: where one was going; otherwise the page again. */
  async onward(request: Request, response: Response, before: SignedIn, said: Said): Promise<void> {
    const { store, sessions } = this.options;
    const account = await store.accounts.one(before.account.id);
    if (!account) return response.redirect(303, "/sign-in");
    await sessions.goOn(request, account);
    const now = await sessions.signedIn(request);
    if (!now) return response.redirect(303, "/sign-in");
    if (before.first !== null && now.first === null && !said.codes)
      return response.redirect(303, safeNext(field(request, "next")));
    await this.show(request, response, now, said);
  }

  /** Whether a person has shown once more who they are; counted like a code. */
  async isConfirmed(account: Account, password: string): Promise<boolean> {
    const { limits } = this.options;
    if ((await limits.takeCode(account.id)) !== "left") return false;
    const isRight = await verifyPassword(account.passwordHash, password);
    if (isRight) await limits.forgetCodes(account.id);
    return isRight;
  }
}

/** A new password. */
function addPassword(page: AccountRoutes): void {
  const { store, passwords } = page.options;
  page.router.post(
    "/password",
    page.own(async (found, request, response) => {
      const { account } = found;
      const password = field(request, "password");
      const wrong = (name: string, code: ServerWord): Promise<void> =>
        page.show(request, response, found, { status: 422, problems: { [name]: code } });
      if (!passwords || account.passwordHash === null)
        return page.show(request, response, found, { status: 403, alert: "account-stale" });
      if (!(await page.isConfirmed(account, field(request, "current"))))
        return wrong("current", "password-current-wrong");
      const problem = await passwordProblem(password, account);
      if (problem) return wrong("password", `password-${problem}`);
      if (password !== field(request, "again")) return wrong("again", "password-differs");
      await store.accounts.change(account.id, {
        passwordHash: await hashPassword(password),
        mustChangePassword: false,
      });
      await store.accounts.endSessions(account.id);
      await note(store, doerOf(request, account), "password.changed", subjectOf(account));
      await page.onward(request, response, found, { done: "password-changed" });
    }),
  );
}

/** The second factor: set up, turned on, given new recovery codes, turned off. */
function addFactor(page: AccountRoutes): void {
  const { store, keys, factorRoles } = page.options;
  page.router.post(
    "/second-factor",
    page.own(async (found, request, response) => {
      const { account, first } = found;
      if (account.totpSecret !== null || first === "password") return page.show(request, response, found);
      // Whoever finds a session that was left open could lock its owner out with a factor of their own.
      if (!(await page.isConfirmed(account, field(request, "factor-password"))))
        return page.show(request, response, found, {
          status: 422,
          problems: { "factor-password": "password-current-wrong" },
        });
      await page.show(request, response, found, { secret: newFactorSecret() });
    }),
  );

  page.router.post(
    "/second-factor/on",
    page.own(async (found, request, response) => {
      const { account } = found;
      const secret = unlockSecret(field(request, "secret"), `new ${account.id} ${request.sessionID}`, keys);
      if (secret === null || account.totpSecret !== null || found.first === "password")
        return page.show(request, response, found, { status: 403, alert: "account-stale" });
      const step = stepOfCode(secret, field(request, "code"), 0);
      if (step === null)
        return page.show(request, response, found, { status: 422, secret, problems: { code: "code-wrong" } });
      const codes = newRecoveryCodes();
      await store.accounts.change(account.id, {
        totpSecret: lockSecret(secret, account.id, keys),
        totpStep: step,
        recovery: codes.map(recoveryDigest),
      });
      await note(store, doerOf(request, account), "factor.on", subjectOf(account));
      await page.onward(request, response, found, { codes });
    }),
  );

  page.router.post(
    "/second-factor/codes",
    page.own(async (found, request, response) => {
      const { account } = found;
      if (account.totpSecret === null || !(await page.isConfirmed(account, field(request, "factor-password"))))
        return page.show(request, response, found, { status: 422, alert: "password-current-wrong" });
      const codes = newRecoveryCodes();
      await store.accounts.change(account.id, { recovery: codes.map(recoveryDigest) });
      await note(store, doerOf(request, account), "factor.recovery-made", subjectOf(account));
      await page.onward(request, response, found, { codes });
    }),
  );

  page.router.post(
    "/second-factor/off",
    page.own(async (found, request, response) => {
      const { account } = found;
      if (account.roles.some((role) => factorRoles.includes(role)))
        return page.show(request, response, found, { status: 403, alert: "factor-needed" });
      if (!(await page.isConfirmed(account, field(request, "factor-password"))))
        return page.show(request, response, found, { status: 422, alert: "password-current-wrong" });
      await store.accounts.change(account.id, { totpSecret: null, totpStep: 0, recovery: null });
      await note(store, doerOf(request, account), "factor.off", subjectOf(account));
      await page.onward(request, response, found, { done: "factor-gone" });
    }),
  );
}

/** Sessions elsewhere are ended. */
function addSessions(page: AccountRoutes): void {
  const { store, sessions } = page.options;
  page.router.post(
    "/sessions/end",
    page.own(async (found, request, response) => {
      const { account } = found;
      const ended = await sessions.endOne(account.id, field(request, "id"));
      if (ended) await note(store, doerOf(request, account), "session.ended", subjectOf(account), { which: "one" });
      await page.show(request, response, found, { done: "session-ended" });
    }),
  );

  page.router.post(
    "/sessions/end-others",
    page.own(async (found, request, response) => {
      await store.accounts.endSessions(found.account.id);
      await note(store, doerOf(request, found.account), "session.ended", subjectOf(found.account), {
        which: "all others",
      });
      await page.onward(request, response, found, { done: "sessions-ended" });
    }),
  );
}

/** `/my-account`: a person's own password, second factor and sessions; server-rendered, without a script. */
export function myAccountRoutes(options: MyAccountOptions): express.Router {
  const page = new AccountRoutes(options);
  page.router.get(
    "/",
    page.own((found, request, response) => page.show(request, response, found)),
  );
  for (const add of [addPassword, addFactor, addSessions]) add(page);
  return page.router;
}
