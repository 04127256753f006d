import { type Request, type RequestHandler, type Response, urlencoded } from "express";
import type { Pool } from "pg";
import { isAway, isNoKey } from "./database.js";
import { document, type Html, html } from "./html.js";

export interface Options<Actor> {
  readonly pool: Pool;
  /** Signs the forms: at least 32 characters, the same in every process, told to nobody. */
  readonly secret: string;
  /** Who asks; null for somebody who is not signed in. */
  readonly actor: (request: Request) => Actor | null | Promise<Actor | null>;
  /** Where to sign in; it is given the address to come back to as `next`. */
  readonly signIn?: string;
  /** Your layout around a page's content. */
  readonly layout?: (title: string, content: Html, request: Request) => Html;
}

/** A page with its status, or where to go after a save and what to say there. */
export type Answer =
  | { readonly status: number; readonly title: string; readonly content: Html }
  | { readonly to: string; readonly said: string };

/** What is answered where there is no form to show, with its status (RFC 9110, 15). */
const notices = {
  "signed-out": [401, "You are signed out", "Sign in, then open this address again."],
  "may-not-open": [403, "You have no access to this page", "Ask your administrator if you need it for your work."],
  "malformed-key": [400, "The key in the address can't be right", "Go to the list and choose the record there."],
  "no-such-record": [
    404,
    "No such record, or no access to it",
    "It may have been deleted, its key may be misspelt, or it belongs to others. The list shows the records that you have access to.",
  ],
  "record-gone": [
    404,
    "This record is no longer there",
    "It was deleted, or given to others, since you opened the form. Nothing was saved.",
  ],
  "may-not-edit": [403, "This record can't be edited now", "Nothing was changed."],
  "form-not-yours": [
    403,
    "This form was not made for you",
    "Nothing was changed. Open the record again and enter your change there.",
  ],
  "form-broken": [
    400,
    "The form did not arrive as it was made",
    "Nothing was changed. Open the record again and enter your change there.",
  ],
  "wrong-content-type": [
    415,
    "This kind of content can't be read here",
    "Send the form as application/x-www-form-urlencoded, as a browser does.",
  ],
  "method-not-allowed": [405, "This address does not take that method", "Open the page in a browser and use its form."],
  "database-away": [503, "The database can't be reached just now", "Nothing was changed. Try again in a minute."],
  "too-busy": [503, "Too many people save at once. Try again.", ""],
} as const;

interface List {
  readonly address: string;
  readonly title: string;
}

/** @param more why, and what was typed, so that nothing of it is lost */
export function notice(
  code: keyof typeof notices,
  list: List,
  {
    because = "",
    typed = [],
  }: { because?: string; typed?: readonly (readonly [label: string, text: string | undefined])[] } = {},
): Answer {
  const [status, title, advice] = notices[code];
  const shown = typed.filter(([, text]) => text !== undefined);
  const content = html`<h1>${title}</h1><p>${because}</p><p>${advice}</p>
<p><a href="${list.address}">${list.title}</a></p>
${shown.length > 0 && html`<h2>What you typed</h2><dl>${shown.map(([label, text]) => html`<dt>${label}</dt><dd>${text}</dd>`)}</dl>`}`;
  return { status, title, content };
}

/** The cookie with the line that a save leaves for the page after it. */
const saidCookie = "page_said";

export function readSaid(request: Request): string | undefined {
  const [, said] = new RegExp(`(?:^|; )${saidCookie}=([^;]*)`).exec(request.headers.cookie ?? "") ?? [];
  try {
    return said === undefined ? undefined : decodeURIComponent(said);
  } catch {
    return undefined;
  }
}

function send(
  request: Request,
  response: Response,
  answer: Answer,
  layout: NonNullable<Options<never>["layout"]> = document,
): void {
  response.set("cache-control", "no-store");
  if ("to" in answer) {
    response.cookie(saidCookie, answer.said, { path: answer.to, maxAge: 60_000, httpOnly: true, sameSite: "lax" });
    response.status(303).location(answer.to).end();
    return;
  }
  if (answer.status === 200) response.clearCookie(saidCookie, { path: request.baseUrl + request.path });
  response
    .status(answer.status)
    .type("html")
    .send(layout(answer.title, answer.content, request).text);
}

/** Reads a form; of anything else there is no body. */
export const form: RequestHandler = urlencoded({ extended: false, limit: "1mb" });

/** A form's controls, each sent once; null where one came twice. */
export function bodyOf({ body }: Request): Readonly<Record<string, string>> | null {
  const pairs = Object.entries((body ?? {}) as Readonly<Record<string, unknown>>);
  return pairs.every(([, value]) => typeof value === "string")
    ? (Object.fromEntries(pairs) as Record<string, string>)
    : null;
}

/** What comes before any answer: who asks, and whether they may. An answer that is null was given already. */
export const answering =
  <Actor,>(options: Options<Actor>, mayOpen: (actor: Actor) => boolean, list: List) =>
  (answer: (actor: Actor, request: Request, response: Response) => Promise<Answer | null>): RequestHandler =>
  async (request, response) => {
    const reply = (given: Answer): void => send(request, response, given, options.layout);
    const typed = Object.entries(bodyOf(request) ?? {}).filter(([name]) => !name.includes("."));
    const actor = await options.actor(request);
    if (!actor && options.signIn !== undefined && request.method !== "POST")
      return response.redirect(
        303,
        `${options.signIn}${options.signIn.includes("?") ? "&" : "?"}next=${encodeURIComponent(request.originalUrl)}`,
      );
    if (!actor) return reply(notice("signed-out", list, { typed }));
    if (!mayOpen(actor)) return reply(notice("may-not-open", list));
    // Nobody has read what is no form.
    if (request.method === "POST" && request.body === undefined) return reply(notice("wrong-content-type", list));
    try {
      const given = await answer(actor, request, response);
      if (given) reply(given);
    } catch (error) {
      if (isNoKey(error)) return reply(notice("malformed-key", list));
      if (!isAway(error)) throw error;
      reply(notice("database-away", list, { typed }));
    }
  };

export const methodNotAllowed =
  (options: Pick<Options<never>, "layout">, list: List): RequestHandler =>
  (request, response) => {
    response.set("allow", "GET, HEAD, POST, OPTIONS");
    send(request, response, notice("method-not-allowed", list), options.layout);
  };
