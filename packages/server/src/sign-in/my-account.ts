import { document, html, type Language, type Markup } from "@loyal-quill/core";
import express, { type Request, type Response } from "express";
import type { Keys } from "../keys.js";
import type { Account } from "../store/entities.js";
import type { Store } from "../store/store.js";
import { doerOf, note } from "../trail.js";
import { type ServerWord, say } from "../words.js";
import {
  enrolment,
  lockSecret,
  newFactorSecret,
  newRecoveryCodes,
  recoveryDigest,
  stepOfCode,
  unlockSecret,
} from "./factor.js";
import { alertLine, type FrameFor, formField, hidden, safeNext } from "./form.js";
import type { SignInLimits } from "./limits.js";
import { hashPassword, passwordLength, passwordProblem, verifyPassword } from "./passwords.js";
import type { Sessions, SignedIn } from "./session.js";
import type { SessionSummary } from "./sign-ins.js";

export interface MyAccountOptions {
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

/** What the page says beside what there is: what was done, and what is wrong in which field. */
interface Said {
  readonly status?: number;
  readonly done?: ServerWord;
  readonly alert?: ServerWord;
  readonly problems?: Readonly<Record<string, ServerWord>>;
  /** A secret that is being set up, and codes that are shown this once. */
  readonly secret?: string;
  readonly codes?: readonly string[];
}

const lengths = { least: passwordLength.least, most: passwordLength.most };

/** `/my-account`: a person's own password, second factor and sessions; server-rendered, without a script. */
export function myAccountRoutes(options: MyAccountOptions): express.Router {
  const { store, keys, sessions, limits, frame, application, passwords, factorRoles } = options;
  const router = express.Router();
  router.use(express.urlencoded({ extended: false, limit: "20kb" }));

  const passwordForm = (language: Language, said: Said, around: Markup, account: Account): Markup => {
    const problem = (name: string): string | null => {
      const code = said.problems?.[name];
      return code === undefined ? null : say(language, code, lengths);
    };
    const fields = [
      formField({
        name: "current",
        label: say(language, "current-password"),
        type: "password",
        autocomplete: "current-password",
        problem: problem("current"),
      }),
      formField({
        name: "password",
        label: say(language, "new-password"),
        type: "password",
        autocomplete: "new-password",
        hint: say(language, "password-hint", lengths),
        problem: problem("password"),
      }),
      formField({
        name: "again",
        label: say(language, "new-password-again"),
        type: "password",
        autocomplete: "new-password",
        problem: problem("again"),
      }),
    ];
    return html`<h2>${say(language, "change-password")}</h2><form class="quill-sheet" method="post" action="/my-account/password">${around}<input type="text" name="username" autocomplete="username" value="${account.email}" hidden>${fields}<p class="quill-actions"><button>${say(language, "change-password")}</button></p></form>`;
  };

  const factorPart = (language: Language, said: Said, around: Markup, account: Account, request: Request): Markup => {
    const heading = html`<h2 id="second-factor">${say(language, "second-factor")}</h2>`;
    if (said.codes)
      return html`${heading}<p>${say(language, "factor-kept")}</p><ul class="quill-codes">${said.codes.map((code) => html`<li><code>${code}</code></li>`)}</ul>`;
    if (said.secret !== undefined) {
      const { picture } = enrolment(said.secret, application, account.email);
      const problem = said.problems?.code;
      const field = formField({
        name: "code",
        label: say(language, "factor-code"),
        type: "text",
        autocomplete: "one-time-code",
        problem: problem ? say(language, problem) : null,
      });
      return html`${heading}<p>${say(language, "factor-scan")}</p><p><img class="quill-qr" src="${picture}" alt="${say(language, "factor-picture")}" width="200" height="200"></p><dl class="quill-key"><div><dt>${say(language, "factor-secret")}</dt><dd>${said.secret.replaceAll(/(.{4})(?=.)/g, "$1 ")}</dd></div></dl>
<form class="quill-sheet" method="post" action="/my-account/second-factor/on">${around}${hidden("secret", lockSecret(said.secret, `new ${account.id} ${request.sessionID}`, keys))}${field}<p class="quill-actions"><button>${say(language, "go-on")}</button></p></form>`;
    }
    const confirm = formField({
      name: "factor-password",
      label: say(language, "current-password"),
      type: "password",
      autocomplete: "current-password",
      problem: said.problems?.["factor-password"] ? say(language, said.problems["factor-password"]) : null,
    });
    if (account.totpSecret === null)
      return html`${heading}<p>${say(language, "factor-off")}</p><form class="quill-sheet" method="post" action="/my-account/second-factor">${around}${confirm}<p class="quill-actions"><button>${say(language, "factor-turn-on")}</button></p></form>`;
    const isNeeded = account.roles.some((role) => factorRoles.includes(role));
    const left = html`<p>${say(language, "factor-on", { count: account.recovery?.length ?? 0 })}</p>`;
    const actions = html`<form class="quill-sheet" method="post" action="/my-account/second-factor/codes">${around}${confirm}<p class="quill-actions"><button>${say(language, "new-recovery")}</button>${!isNeeded && html`<button class="quill-plain" formaction="/my-account/second-factor/off">${say(language, "factor-turn-off")}</button>`}</p></form>`;
    return html`${heading}${left}${actions}${isNeeded && html`<p>${say(language, "factor-needed")}</p>`}`;
  };

  const sessionsPart = (language: Language, around: Markup, list: readonly SessionSummary[], own: string): Markup => {
    const format = new Intl.DateTimeFormat(language, { dateStyle: "medium", timeStyle: "short", timeZone: "UTC" });
    const time = (moment: Date): string => `${format.format(moment)} UTC`;
    const rows = list.map(
      ({ id, since, used, address, agent }) =>
        html`<li><p>${address}${id === own && html` <strong>${say(language, "this-session")}</strong>`}<br><span>${say(language, "session-since", { time: time(since) })}, ${say(language, "session-used", { time: time(used) })}</span><br><span>${agent}</span></p>${id !== own && html`<form method="post" action="/my-account/sessions/end">${around}${hidden("id", id)}<button class="quill-plain">${say(language, "end-session")}<span class="quill-unseen"> ${address}, ${time(since)}</span></button></form>`}</li>`,
    );
    const others =
      list.some(({ id }) => id !== own) &&
      html`<form method="post" action="/my-account/sessions/end-others">${around}<p class="quill-actions"><button>${say(language, "end-others")}</button></p></form>`;
    return html`<h2>${say(language, "sessions")}</h2><ul class="quill-sessions">${rows}</ul>${others}`;
  };

  async function show(
    request: Request,
    response: Response,
    { account, first }: SignedIn,
    said: Said = {},
  ): Promise<void> {
    const around = frame(request);
    const { language } = around;
    const token = html`${hidden("token", sessions.csrfToken(request))}${hidden("next", safeNext(request.query.next ?? (request.body as { next?: unknown } | undefined)?.next))}`;
    const hasPassword = passwords && account.passwordHash !== null;
    const demand = first === "password" ? "password-first" : first === "second factor" ? "factor-first" : null;
    const parts: (Markup | false | null)[] =
      first === "password"
        ? [passwordForm(language, said, token, account)]
        : first === "second factor"
          ? [factorPart(language, said, token, account, request)]
          : [
              said.codes || said.secret !== undefined ? factorPart(language, said, token, account, request) : null,
              hasPassword && passwordForm(language, said, token, account),
              hasPassword &&
                !said.codes &&
                said.secret === undefined &&
                factorPart(language, said, token, account, request),
              sessionsPart(language, token, await sessions.of(account.id), sessions.markOf(request)),
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
  const own =
    (run: (found: SignedIn, request: Request, response: Response) => Promise<void>) =>
    async (request: Request, response: Response): Promise<void> => {
      const found = await sessions.signedIn(request);
      if (!found) return response.redirect(303, "/sign-in?next=/my-account");
      if (request.method !== "GET" && !sessions.hasCsrfToken(request, field(request, "token")))
        return show(request, response, found, { status: 403, alert: "expired" });
      await run(found, request, response);
    };
  const field = (request: Request, name: string): string => {
    const given = ((request.body ?? {}) as Readonly<Record<string, unknown>>)[name];
    return typeof given === "string" ? given.slice(0, 1000) : "";
  };
  const subjectOf = ({ email, id }: Account): { name: string; id: string } => ({ name: email, id });

  /** After something that had to be done first: where one was going; otherwise the page again. */
  async function onward(request: Request, response: Response, before: SignedIn, said: Said): Promise<void> {
    const account = await store.account(before.account.id);
    if (!account) return response.redirect(303, "/sign-in");
    await sessions.goOn(request, account);
    const now = await sessions.signedIn(request);
    if (!now) return response.redirect(303, "/sign-in");
    if (before.first !== null && now.first === null && !said.codes)
      return response.redirect(303, safeNext(field(request, "next")));
    await show(request, response, now, said);
  }

  router.get(
    "/",
    own((found, request, response) => show(request, response, found)),
  );

  /** Whether a person has shown once more who they are; counted like a code. */
  async function isConfirmed(account: Account, password: string): Promise<boolean> {
    if ((await limits.takeCode(account.id)) !== "left") return false;
    const isRight = await verifyPassword(account.passwordHash, password);
    if (isRight) await limits.forgetCodes(account.id);
    return isRight;
  }

  router.post(
    "/password",
    own(async (found, request, response) => {
      const { account } = found;
      const password = field(request, "password");
      const wrong = (name: string, code: ServerWord): Promise<void> =>
        show(request, response, found, { status: 422, problems: { [name]: code } });
      if (!passwords || account.passwordHash === null)
        return show(request, response, found, { status: 403, alert: "expired" });
      if (!(await isConfirmed(account, field(request, "current")))) return wrong("current", "password-current-wrong");
      const problem = passwordProblem(password, account);
      if (problem) return wrong("password", `password-${problem}`);
      if (password !== field(request, "again")) return wrong("again", "password-differs");
      await store.changeAccount(account.id, { passwordHash: await hashPassword(password), mustChangePassword: false });
      await store.endSessions(account.id);
      await note(store, doerOf(request, account), "password.changed", subjectOf(account));
      await onward(request, response, found, { done: "password-changed" });
    }),
  );

  router.post(
    "/second-factor",
    own(async (found, request, response) => {
      const { account, first } = found;
      if (account.totpSecret !== null || first === "password") return show(request, response, found);
      // Whoever finds a session that was left open could lock its owner out with a factor of their own.
      if (!(await isConfirmed(account, field(request, "factor-password"))))
        return show(request, response, found, {
          status: 422,
          problems: { "factor-password": "password-current-wrong" },
        });
      await show(request, response, found, { secret: newFactorSecret() });
    }),
  );

  router.post(
    "/second-factor/on",
    own(async (found, request, response) => {
      const { account } = found;
      const secret = unlockSecret(field(request, "secret"), `new ${account.id} ${request.sessionID}`, keys);
      if (secret === null || account.totpSecret !== null || found.first === "password")
        return show(request, response, found, { status: 403, alert: "expired" });
      const step = stepOfCode(secret, field(request, "code"), 0);
      if (step === null)
        return show(request, response, found, { status: 422, secret, problems: { code: "code-wrong" } });
      const codes = newRecoveryCodes();
      await store.changeAccount(account.id, {
        totpSecret: lockSecret(secret, account.id, keys),
        totpStep: step,
        recovery: codes.map(recoveryDigest),
      });
      await note(store, doerOf(request, account), "factor.on", subjectOf(account));
      await onward(request, response, found, { codes });
    }),
  );

  router.post(
    "/second-factor/codes",
    own(async (found, request, response) => {
      const { account } = found;
      if (account.totpSecret === null || !(await isConfirmed(account, field(request, "factor-password"))))
        return show(request, response, found, { status: 422, alert: "password-current-wrong" });
      const codes = newRecoveryCodes();
      await store.changeAccount(account.id, { recovery: codes.map(recoveryDigest) });
      await note(store, doerOf(request, account), "factor.recovery-made", subjectOf(account));
      await onward(request, response, found, { codes });
    }),
  );

  router.post(
    "/second-factor/off",
    own(async (found, request, response) => {
      const { account } = found;
      if (account.roles.some((role) => factorRoles.includes(role)))
        return show(request, response, found, { status: 403, alert: "factor-needed" });
      if (!(await isConfirmed(account, field(request, "factor-password"))))
        return show(request, response, found, { status: 422, alert: "password-current-wrong" });
      await store.changeAccount(account.id, { totpSecret: null, totpStep: 0, recovery: null });
      await note(store, doerOf(request, account), "factor.off", subjectOf(account));
      await onward(request, response, found, { done: "factor-gone" });
    }),
  );

  router.post(
    "/sessions/end",
    own(async (found, request, response) => {
      const { account } = found;
      const ended = await sessions.endOne(account.id, field(request, "id"));
      if (ended) await note(store, doerOf(request, account), "session.ended", subjectOf(account), { which: "one" });
      await show(request, response, found, { done: "session-ended" });
    }),
  );

  router.post(
    "/sessions/end-others",
    own(async (found, request, response) => {
      await store.endSessions(found.account.id);
      await note(store, doerOf(request, found.account), "session.ended", subjectOf(found.account), {
        which: "all others",
      });
      await onward(request, response, found, { done: "sessions-ended" });
    }),
  );

  return router;
}
