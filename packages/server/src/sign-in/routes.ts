import { document, type Frame, html, type Language, type Markup, readPairs, resendForm, word } from "@loyal-quill/core";
import type { Pages } from "@loyal-quill/runtime";
import express, { type Request, type Response } from "express";
import pLimit from "p-limit";
import type { Logger } from "pino";
import * as v from "valibot";
import { plain } from "../api/shapes.js";
import { addressOf } from "../edge.js";
import type { Keys } from "../keys.js";
import type { Account } from "../store/entities.js";
import type { Store } from "../store/store.js";
import { type Doer, doerOf, note } from "../trail.js";
import { type ServerWord, say } from "../words.js";
import { recoveryDigest, stepOfCode, unlockSecret } from "./factor.js";
import { alertLine, type FrameFor, formField, hidden, safeNext } from "./form.js";
import { countedAddress, type SignInLimits } from "./limits.js";
import { verifyPassword } from "./passwords.js";
import type { Sessions } from "./session.js";
import { type Enter, type SignOnElsewhere, signOnRoutes } from "./sign-on.js";

const formSchema = v.object({
  email: v.pipe(plain, v.trim(), v.toLowerCase(), v.maxLength(254)),
  password: v.pipe(plain, v.maxLength(1000)),
  token: v.string(),
  next: v.optional(v.string(), "/"),
});

interface Attempt {
  readonly email: string;
  readonly next: string;
  /** A form that was refused for want of a sign-in, as the pages signed it; null for none. */
  readonly carried: string | null;
  readonly problem: ServerWord | null;
}

interface SignInOptions {
  readonly store: Store;
  readonly keys: Keys;
  readonly sessions: Sessions;
  readonly limits: SignInLimits;
  readonly frame: FrameFor;
  /** The served pages: whose refused forms a sign-in carries on, and where their script is. */
  readonly pages: Pick<Pages, "carried" | "script">;
  /** Whether people sign in with passwords here. */
  readonly passwords: boolean;
  /** Another application in which people sign in; null for none. */
  readonly elsewhere: SignOnElsewhere | null;
  readonly logger: Logger;
}

/** A form with everything that was typed may be as large as what the pages take, and is written once more percent-encoded. */
const mostCarried = 4_000_000;

/** What is remembered between the password and the second factor, for so many milliseconds. */
const between = v.object({ account: v.string(), epoch: v.number(), at: v.number() });
const betweenFor = 5 * 60_000;

function signInForm(
  { email, next, problem, carried }: Attempt,
  token: string,
  language: Language,
  { passwords, elsewhere }: Pick<SignInOptions, "passwords" | "elsewhere">,
): Markup {
  const words = (code: ServerWord): string => say(language, code);
  const kept = carried !== null && html`<p>${words("form-kept")}</p>`;
  const around = html`${hidden("token", token)}${hidden("next", next)}${carried !== null && hidden("carried", carried)}`;
  const fields = [
    formField({ name: "email", label: words("email"), type: "email", autocomplete: "username", value: email }),
    formField({ name: "password", label: words("password"), type: "password", autocomplete: "current-password" }),
  ];
  const own =
    passwords &&
    html`<form class="quill-sheet" method="post" action="/sign-in">${around}${fields}<p class="quill-actions"><button>${words("sign-in")}</button></p></form>`;
  const other =
    elsewhere &&
    html`<p class="quill-actions"><a class="quill-main" href="/sign-in/elsewhere/go?next=${encodeURIComponent(next)}">${say(language, "sign-in-elsewhere", { name: elsewhere.name })}</a></p>`;
  return html`<div class="quill-narrow"><h1>${words("sign-in")}</h1>${alertLine(language, problem)}${kept}${own}${other}</div>`;
}

/** The page after a sign-in that carries a form on: the form is sent again, as it was, to where it was refused. */
function goOn(frame: Frame, address: string, body: string): string | null {
  const pairs = readPairs(body);
  if (typeof pairs === "string") return null;
  const again = resendForm({ address, pairs }, word(frame.language, "go-on-with-form"), true);
  const main = html`<div class="quill-narrow"><h1>${say(frame.language, "signed-in")}</h1><p>${say(frame.language, "form-again")}</p>${again}</div>`;
  return document(frame, say(frame.language, "signed-in"), main, true);
}

const body = express.urlencoded({ extended: false, limit: mostCarried });
const smallBody = express.urlencoded({ extended: false, limit: "20kb" });
const fieldOf = (request: Request, name: string): unknown =>
  ((request.body ?? {}) as Readonly<Record<string, unknown>>)[name];

/** An exchange with a browser that wants in. */
interface Exchange {
  readonly request: Request;
  readonly response: Response;
}

/** Where somebody was going, with the form that came along. */
interface Onward {
  readonly next: string;
  readonly carried: string | null;
}

/** What the routes of signing in have in common. */
class SignIn {
  readonly router = express.Router();
  /** Of all who try, a few at once ask the store: those who are signed in already don't wait behind them. */
  readonly few = pLimit(3);

  constructor(readonly options: SignInOptions) {}

  /** What came along, if it was refused here at that address. */
  carriedIn(request: Request, next: string): string | null {
    const carried = fieldOf(request, "carried");
    return this.options.pages.carried(carried, next) === null ? null : String(carried);
  }

  send({ request, response }: Exchange, status: number, title: ServerWord, main: Markup): void {
    const around = this.options.frame(request);
    const page = document({ ...around, person: null, signOut: null }, say(around.language, title), main);
    response.status(status).type("html").set("cache-control", "no-store").send(page);
  }

  show(exchange: Exchange, status: number, attempt: Attempt): void {
    const { sessions, frame } = this.options;
    const token = sessions.before(exchange.request, exchange.response);
    this.send(exchange, status, "sign-in", signInForm(attempt, token, frame(exchange.request).language, this.options));
  }

  /** What must be done first, or where one was going, with the form that came along. */
  readonly enter: Enter = async (request, response, account, to, detail, idToken) => {
    const { sessions, store, pages, frame } = this.options;
    await sessions.begin(request, response, account, idToken);
    await note(store, doerOf(request, account), "sign-in.ok", { name: account.email, id: account.id }, detail);
    await store.accounts.forgetAttempts();
    if ((await sessions.signedIn(request))?.first)
      return response.redirect(303, `/my-account?next=${encodeURIComponent(to.next)}`);
    const form = pages.carried(to.carried, to.next);
    const onward = form === null ? null : goOn({ ...frame(request), script: pages.script }, to.next, form);
    if (onward === null) return response.redirect(303, to.next);
    response.set({
      "content-security-policy":
        "default-src 'none'; script-src 'self'; style-src 'self'; font-src 'self'; img-src 'self' data:; form-action 'self'; base-uri 'none'; frame-ancestors 'self'",
      "cache-control": "no-store",
    });
    response.type("html").send(onward);
  };

  askForCode(
    exchange: Exchange,
    waiting: v.InferOutput<typeof between>,
    { next, carried }: Onward,
    { status, problem }: { readonly status: number; readonly problem: ServerWord | null },
  ): void {
    const { request, response } = exchange;
    const { frame, sessions } = this.options;
    const { language } = frame(request);
    const token = sessions.before(request, response);
    const field = formField({
      name: "code",
      label: say(language, "code"),
      type: "text",
      autocomplete: "one-time-code",
    });
    const form = html`<form class="quill-sheet" method="post" action="/sign-in/code">${hidden("token", token)}${hidden("next", next)}${hidden("waiting", sessions.sealed(request, waiting))}${carried !== null && hidden("carried", carried)}${field}<p class="quill-actions"><button>${say(language, "go-on")}</button></p></form>`;
    this.send(
      exchange,
      status,
      "second-factor",
      html`<div class="quill-narrow"><h1>${say(language, "second-factor")}</h1>${alertLine(language, problem)}${form}</div>`,
    );
  }

  /** By what a second factor was shown; null where the code is none, or was taken already. */
  async takeFactor(account: Account, code: unknown): Promise<"code" | "recovery code" | null> {
    const { keys, store } = this.options;
    if (typeof code !== "string" || code.length > 100 || account.totpSecret === null) return null;
    const secret = unlockSecret(account.totpSecret, account.id, keys);
    const step = secret === null ? null : stepOfCode(secret, code, account.totpStep);
    if (step !== null) return (await store.accounts.takeStep(account.id, step)) ? "code" : null;
    return (await store.accounts.takeRecovery(account.id, recoveryDigest(code))) ? "recovery code" : null;
  }
}

/** Why signing in elsewhere came to nothing, where that is told. */
const toldElsewhere = v.fallback(v.nullable(v.picklist(["elsewhere-failed", "elsewhere-unknown"])), null);

/** The form of a sign-in, and what carries a refused form on to it. */
function addForm(signIn: SignIn): void {
  const { sessions } = signIn.options;
  signIn.router.get("/sign-in", async (request, response) => {
    const next = safeNext(request.query.next);
    const found = await sessions.signedIn(request);
    if (found?.first) return response.redirect(303, `/my-account?next=${encodeURIComponent(next)}`);
    const problem = v.parse(toldElsewhere, request.query.problem);
    signIn.show({ request, response }, 200, { email: "", next, problem, carried: null });
  });

  // A form that was refused for want of a sign-in comes along: it is no try to sign in yet.
  signIn.router.post("/sign-in", body, (request, response, next) => {
    if (fieldOf(request, "carried") === undefined || fieldOf(request, "email") !== undefined) return next();
    const to = safeNext(fieldOf(request, "next"));
    signIn.show({ request, response }, 200, {
      email: "",
      next: to,
      problem: null,
      carried: signIn.carriedIn(request, to),
    });
  });
}

/** A sign-in with a password. */
function addPassword(signIn: SignIn): void {
  const { store, sessions, limits, passwords } = signIn.options;
  signIn.router.post("/sign-in", async (request, response) => {
    const parsed = v.safeParse(formSchema, request.body ?? {});
    if (!passwords || !parsed.success)
      return signIn.show({ request, response }, 422, { email: "", next: "/", problem: "wrong", carried: null });
    const { email, password, token } = parsed.output;
    const next = safeNext(parsed.output.next);
    const carried = signIn.carriedIn(request, next);
    const again = (status: number, problem: ServerWord): void =>
      signIn.show({ request, response }, status, { email, next, problem, carried });
    if (!sessions.isFromBefore(request, token)) return again(403, "expired");
    const { account, attempt, taken } = await signIn.few(async () => {
      const found = await store.accounts.byEmail(email);
      const device = sessions.device(request, found?.id);
      const tried = { address: countedAddress(addressOf(request)), email, device };
      return { account: found, attempt: tried, taken: await limits.take(tried) };
    });
    const doer: Doer = doerOf(request, null);
    // Who isn't known is told by what was typed, which may be anything: no more than that somebody unknown tried.
    const subject = account ? { name: account.email, id: account.id } : { name: "unknown account" };
    if (taken !== "left") {
      if (taken === "first beyond") await note(store, doer, "sign-in.stopped", subject);
      return again(429, "often");
    }
    if (!(await verifyPassword(account?.passwordHash ?? null, password)) || !account) {
      await note(store, doer, "sign-in.failed", subject, { why: "password" });
      return again(422, "wrong");
    }
    await limits.giveBack(attempt);
    if (!account.active) {
      await note(store, doer, "sign-in.failed", subject, { why: "disabled" });
      return again(403, "off");
    }
    if (account.totpSecret === null)
      return signIn.enter(request, response, account, { next, carried }, { by: "password" });
    signIn.askForCode(
      { request, response },
      { account: account.id, epoch: account.sessionEpoch, at: Date.now() },
      { next, carried },
      { status: 200, problem: null },
    );
  });
}

/** The second factor. */
function addCode(signIn: SignIn): void {
  const { store, sessions, limits } = signIn.options;
  signIn.router.post("/sign-in/code", body, async (request, response) => {
    const next = safeNext(fieldOf(request, "next"));
    const carried = signIn.carriedIn(request, next);
    const opened = v.safeParse(between, sessions.opened(request, fieldOf(request, "waiting")));
    const account = opened.success ? await store.accounts.one(opened.output.account) : null;
    const isGood =
      opened.success &&
      account?.active === true &&
      opened.output.epoch === account.sessionEpoch &&
      Date.now() - opened.output.at < betweenFor &&
      sessions.isFromBefore(request, fieldOf(request, "token"));
    if (!isGood || !account)
      return signIn.show({ request, response }, 403, { email: "", next, problem: "expired", carried });
    const subject = { name: account.email, id: account.id };
    const again = (status: number, problem: ServerWord): void =>
      signIn.askForCode({ request, response }, opened.output, { next, carried }, { status, problem });
    const taken = await limits.takeCode(account.id);
    if (taken !== "left") {
      if (taken === "first beyond")
        await note(store, doerOf(request, null), "sign-in.stopped", subject, { why: "second factor" });
      return again(429, "code-often");
    }
    const by = await signIn.takeFactor(account, fieldOf(request, "code"));
    if (by === null) {
      await note(store, doerOf(request, null), "sign-in.factor-failed", subject);
      return again(422, "code-wrong");
    }
    await limits.forgetCodes(account.id);
    if (by === "recovery code") await note(store, doerOf(request, account), "factor.recovery-used", subject);
    return signIn.enter(request, response, account, { next, carried }, { by: `password and ${by}` });
  });
}

/** Signing out, here and elsewhere. */
function addSignOut(signIn: SignIn): void {
  const { store, sessions, frame, elsewhere } = signIn.options;
  signIn.router.post("/sign-out", smallBody, async (request, response) => {
    const found = await sessions.signedIn(request);
    if (!sessions.hasCsrfToken(request, fieldOf(request, "token"))) {
      if (!found) return response.redirect(303, "/sign-in");
      // The button of a page that was opened in an earlier session: nobody shall walk away from one that they take for ended.
      const { language } = frame(request);
      const again = html`<form method="post" action="/sign-out">${hidden("token", sessions.csrfToken(request))}<p class="quill-actions"><button>${word(language, "sign-out")}</button></p></form>`;
      const content = html`<div class="quill-narrow"><h1>${say(language, "still-in")}</h1><p>${say(language, "still-in-since")}</p>${again}</div>`;
      return signIn.send({ request, response }, 403, "still-in", content);
    }
    const { idToken } = request.session;
    await sessions.end(request, response);
    if (found)
      await note(store, doerOf(request, found.account), "sign-out", {
        name: found.account.email,
        id: found.account.id,
      });
    const there = idToken === undefined ? null : ((await elsewhere?.signOutAddress(idToken)) ?? null);
    if (there === null || !elsewhere) return response.redirect(303, "/sign-in");
    // `form-action 'self'` holds for all that a form is redirected to (CSP Level 3, 6.4.2): the way there is a page's own.
    const { language } = frame(request);
    const link = html`<p><a class="quill-main" href="${there}">${say(language, "sign-out-elsewhere", { name: elsewhere.name })}</a></p>`;
    response.set("refresh", `0; url=${there}`);
    signIn.send(
      { request, response },
      200,
      "signed-out",
      html`<div class="quill-narrow"><h1>${say(language, "signed-out")}</h1>${link}</div>`,
    );
  });
}

/** Signing in and out: server-rendered, without a script. */
export function signInRoutes(options: SignInOptions): express.Router {
  const signIn = new SignIn(options);
  for (const add of [addForm, addPassword, addCode, addSignOut]) add(signIn);
  const { elsewhere } = options;
  if (elsewhere) signIn.router.use("/sign-in/elsewhere", signOnRoutes({ ...options, elsewhere, enter: signIn.enter }));
  return signIn.router;
}
