import { document, type Frame, html, type Markup } from "@loyal-quill/core";
import express, { type Request, type Response } from "express";
import { rateLimit } from "express-rate-limit";
import * as v from "valibot";
import type { Store } from "../store/store.js";
import { verifyPassword } from "./passwords.js";
import { csrfToken, hasCsrfToken } from "./session.js";

const formSchema = v.object({
  email: v.pipe(v.string(), v.trim(), v.maxLength(254)),
  password: v.pipe(v.string(), v.maxLength(1000)),
  token: v.string(),
  next: v.optional(v.string(), "/"),
});

/** An address of this application to go on to: a path of its own, never another site's (`//host`, `/\host`). */
export function safeNext(next: unknown): string {
  if (typeof next !== "string" || !/^\/(?![/\\])[^\\\s]*$/.test(next)) return "/";
  return next.startsWith("/sign-in") ? "/" : next;
}

const said = {
  wrong: "The e-mail address or the password is not right. Try again.",
  off: "This account is switched off. Ask the person who looks after this application.",
  expired: "The form was too old. Sign in again.",
  often: "Too many tries. Wait a quarter of an hour and try again.",
} as const;

interface Attempt {
  readonly email: string;
  readonly next: string;
  readonly problem: keyof typeof said | null;
}

function form({ email, next, problem }: Attempt, token: string): Markup {
  const alert = problem && html`<section class="summary" role="alert"><p>${said[problem]}</p></section>`;
  return html`<div class="narrow"><h1>Sign in</h1>${alert}<form class="sheet" method="post" action="/sign-in">
<input type="hidden" name="token" value="${token}"><input type="hidden" name="next" value="${next}">
<div class="field"><label for="email">E-mail address</label><input id="email" name="email" type="email" autocomplete="username" required value="${email}"></div>
<div class="field"><label for="password">Password</label><input id="password" name="password" type="password" autocomplete="current-password" required></div>
<p class="actions"><button>Sign in</button></p></form></div>`;
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
}

/** `GET, POST /sign-in` and `POST /sign-out`: server-rendered, without a script. */
export function signInRoutes({ store, secret, frame }: SignInOptions): express.Router {
  const router = express.Router();
  const body = express.urlencoded({ extended: false, limit: 10_000 });
  const show = async (request: Request, response: Response, status: number, attempt: Attempt): Promise<void> => {
    request.session.begun = true;
    const page = document(
      { ...frame(request), person: null, signOut: null },
      "Sign in",
      form(attempt, csrfToken(request, secret)),
    );
    await kept(request);
    response.status(status).type("html").set("cache-control", "no-store").send(page);
  };

  router.get("/sign-in", (request, response) =>
    show(request, response, 200, { email: "", next: safeNext(request.query.next), problem: null }),
  );

  const tooOften = (request: Request, response: Response): Promise<void> =>
    show(request, response, 429, {
      email: "",
      next: safeNext((request.body as { next?: unknown }).next),
      problem: "often",
    });
  router.post("/sign-in", body, limiter(tooOften), async (request, response) => {
    const parsed = v.safeParse(formSchema, request.body ?? {});
    if (!parsed.success) return show(request, response, 422, { email: "", next: "/", problem: "wrong" });
    const { email, password, token } = parsed.output;
    const next = safeNext(parsed.output.next);
    if (!hasCsrfToken(request, token, secret)) return show(request, response, 403, { email, next, problem: "expired" });
    const account = await store.accountByEmail(email);
    if (!(await verifyPassword(account?.passwordHash ?? null, password)) || !account)
      return show(request, response, 422, { email, next, problem: "wrong" });
    if (!account.active) return show(request, response, 403, { email, next, problem: "off" });
    await regenerate(request);
    request.session.accountId = account.id;
    await kept(request);
    response.redirect(303, next);
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
