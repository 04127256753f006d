import { document, type Frame, html, type Language, type Markup, readPairs, resendForm, word } from "@loyal-quill/core";
import type { Pages } from "@loyal-quill/runtime";
import express, { type Request, type Response } from "express";
import { rateLimit } from "express-rate-limit";
import * as v from "valibot";
import type { Store } from "../store/store.js";
import { type ServerWord, say } from "../words.js";
import { verifyPassword } from "./passwords.js";
import { csrfToken, hasCsrfToken } from "./session.js";

const formSchema = v.object({
  email: v.pipe(v.string(), v.trim(), v.maxLength(254)),
  password: v.pipe(v.string(), v.maxLength(1000)),
  token: v.string(),
  next: v.optional(v.string(), "/"),
});

/** An address of this application to go on to: a path of its own, never another site's (`//host`, `/\host`). */
function safeNext(next: unknown): string {
  if (typeof next !== "string" || !/^\/(?![/\\])[^\\\s]*$/.test(next)) return "/";
  return next.startsWith("/sign-in") ? "/" : next;
}

interface Attempt {
  readonly email: string;
  readonly next: string;
  /** A form that was refused for want of a sign-in, as the pages signed it; null for none. */
  readonly carried: string | null;
  readonly problem: "wrong" | "off" | "expired" | "often" | null;
}

function form({ email, next, problem, carried }: Attempt, token: string, language: Language): Markup {
  const words = (code: ServerWord): string => say(language, code);
  const alert = problem && html`<section class="summary" role="alert"><p>${words(problem)}</p></section>`;
  const kept = carried !== null && html`<p>${words("form-kept")}</p>`;
  return html`<div class="narrow"><h1>${words("sign-in")}</h1>${alert}${kept}<form class="sheet" method="post" action="/sign-in">
<input type="hidden" name="token" value="${token}"><input type="hidden" name="next" value="${next}">${carried !== null && html`<input type="hidden" name="carried" value="${carried}">`}
<div class="field"><label for="email">${words("email")}</label><input id="email" name="email" type="email" autocomplete="username" required value="${email}"></div>
<div class="field"><label for="password">${words("password")}</label><input id="password" name="password" type="password" autocomplete="current-password" required></div>
<p class="actions"><button>${words("sign-in")}</button></p></form></div>`;
}

/** Tries by address and account: ten a quarter of an hour. */
const limiter = (answer: (request: Request, response: Response) => Promise<void>): express.RequestHandler =>
  rateLimit({
    windowMs: 15 * 60_000,
    limit: 10,
    standardHeaders: "draft-8",
    legacyHeaders: false,
    skipSuccessfulRequests: true,
    requestWasSuccessful: (_request, response) => response.statusCode === 303,
    keyGenerator: (request) =>
      `${request.ip ?? ""} ${String((request.body as { email?: unknown } | undefined)?.email ?? "").toLowerCase()}`,
    validate: { keyGeneratorIpFallback: false },
    handler: (request, response) => answer(request, response),
  });

const regenerate = (request: Request): Promise<void> =>
  new Promise((resolve, reject) => request.session.regenerate((error: unknown) => (error ? reject(error) : resolve())));

/** Keeps the session before the answer goes out: a quick person's next request must find it. */
const kept = (request: Request): Promise<void> =>
  new Promise((resolve, reject) => request.session.save((error: unknown) => (error ? reject(error) : resolve())));

export interface SignInOptions {
  readonly store: Store;
  readonly secret: string;
  readonly frame: (request: Request) => Frame;
  /** The served pages: whose refused forms a sign-in carries on, and where their script is. */
  readonly pages: Pick<Pages, "carried" | "script">;
}

/** A form with everything that was typed may be as large as what the pages take, and is written once more percent-encoded. */
const mostCarried = 4_000_000;

/** The page after a sign-in that carries a form on: the form is sent again, as it was, to where it was refused. */
function goOn(frame: Frame, address: string, body: string): string | null {
  const pairs = readPairs(body);
  if (typeof pairs === "string") return null;
  const again = resendForm({ address, pairs }, word(frame.language, "go-on-with-form"), true);
  const main = html`<div class="narrow"><h1>${say(frame.language, "signed-in")}</h1><p>${say(frame.language, "form-again")}</p>${again}</div>`;
  return document(frame, say(frame.language, "signed-in"), main, true);
}

/** `GET, POST /sign-in` and `POST /sign-out`: server-rendered, without a script. */
export function signInRoutes({ store, secret, frame, pages }: SignInOptions): express.Router {
  const router = express.Router();
  const body = express.urlencoded({ extended: false, limit: mostCarried });
  /** What came along, if it was refused here at that address. */
  const carriedIn = (request: Request, next: string): string | null => {
    const { carried } = (request.body ?? {}) as { carried?: unknown };
    return pages.carried(carried, next) === null ? null : String(carried);
  };
  const show = async (request: Request, response: Response, status: number, attempt: Attempt): Promise<void> => {
    request.session.begun = true;
    const around = frame(request);
    const page = document(
      { ...around, person: null, signOut: null },
      say(around.language, "sign-in"),
      form(attempt, csrfToken(request, secret), around.language),
    );
    await kept(request);
    response.status(status).type("html").set("cache-control", "no-store").send(page);
  };

  router.get("/sign-in", (request, response) =>
    show(request, response, 200, { email: "", next: safeNext(request.query.next), problem: null, carried: null }),
  );

  const tooOften = (request: Request, response: Response): Promise<void> => {
    const next = safeNext((request.body as { next?: unknown }).next);
    return show(request, response, 429, { email: "", next, problem: "often", carried: carriedIn(request, next) });
  };
  // A form that was refused for want of a sign-in comes along: it is no try to sign in yet.
  router.post("/sign-in", body, (request, response, next) => {
    const given = (request.body ?? {}) as Record<string, unknown>;
    if (given.carried === undefined || given.email !== undefined) return next();
    const to = safeNext(given.next);
    return show(request, response, 200, { email: "", next: to, problem: null, carried: carriedIn(request, to) });
  });

  router.post("/sign-in", limiter(tooOften), async (request, response) => {
    const parsed = v.safeParse(formSchema, request.body ?? {});
    if (!parsed.success) return show(request, response, 422, { email: "", next: "/", problem: "wrong", carried: null });
    const { email, password, token } = parsed.output;
    const next = safeNext(parsed.output.next);
    const carried = carriedIn(request, next);
    const again = (status: number, problem: Attempt["problem"]): Promise<void> =>
      show(request, response, status, { email, next, problem, carried });
    if (!hasCsrfToken(request, token, secret)) return again(403, "expired");
    const account = await store.accountByEmail(email);
    if (!(await verifyPassword(account?.passwordHash ?? null, password)) || !account) return again(422, "wrong");
    if (!account.active) return again(403, "off");
    await regenerate(request);
    request.session.accountId = account.id;
    await kept(request);
    const form = pages.carried(carried, next);
    const onward = form === null ? null : goOn({ ...frame(request), script: pages.script }, next, form);
    if (onward === null) return response.redirect(303, next);
    response.set({
      "content-security-policy":
        "default-src 'none'; script-src 'self'; style-src 'self'; font-src 'self'; img-src 'self' data:; form-action 'self'; base-uri 'none'; frame-ancestors 'self'",
      "cache-control": "no-store",
    });
    response.type("html").send(onward);
  });

  router.post("/sign-out", body, (request, response, next) => {
    if (!hasCsrfToken(request, (request.body as { token?: unknown } | undefined)?.token, secret))
      return response.redirect(303, "/");
    request.session.destroy((error: unknown) =>
      error ? next(error) : response.clearCookie("quill_session").redirect(303, "/sign-in"),
    );
  });

  return router;
}
