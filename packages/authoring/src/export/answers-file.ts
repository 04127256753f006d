import type { Code } from "@loyal-quill/core/messages/codes";
import { statusOf } from "@loyal-quill/core/messages/codes";
import { type Language, message, titleOfCode, word } from "@loyal-quill/core/messages/messages";
import { quote } from "./source.js";

const noticeCodes = [
  "signed-out",
  "may-not-open",
  "malformed-key",
  "no-such-record",
  "record-gone",
  "may-not-edit",
  "form-not-yours",
  "form-broken",
  "body-too-large",
  "wrong-content-type",
  "method-not-allowed",
  "database-away",
] as const satisfies readonly Code[];

/** What is answered, and how it is sent. */
export function answersFile(language: Language): string {
  const notices = noticeCodes.map((code) => {
    const { title, advice } = titleOfCode(language, code);
    return `${quote(code)}: [${statusOf[code]}, ${quote(title)}, ${quote(advice)}],`;
  });
  return `import { type ErrorRequestHandler, type Request, type RequestHandler, type Response, urlencoded } from "express";
import type { Pool } from "pg";
import { isAway, isNoKey } from "./database.js";
import { document, type Html, html } from "./html.js";

export interface Options<Actor> {
  readonly pool: Pool;
  /** Signs the forms: at least 32 characters, the same in every process, told to nobody. */
  readonly secret: string;
  /** Who asks; null for somebody who is not signed in. */
  readonly actor: (request: Request) => Actor | null | Promise<Actor | null>;
  /** Where to sign in; it is given the address to come back to as \`next\`. */
  readonly signIn?: string;
  /** Your layout around a page's content. */
  readonly layout?: (title: string, content: Html, request: Request) => Html;
}

/** What is answered where there is no form to show, with its status (RFC 9110, 15). */
const notices = {
${notices.join("\n")}
"too-busy": [503, ${quote(message(language, "unavailable-busy"))}, ""],
} as const;

/** Why there is no form, and what was typed, so that nothing of it is lost. */
interface Notice {
  readonly notice: keyof typeof notices;
  readonly because?: string;
  readonly typed?: readonly (readonly [label: string, text: string | undefined])[];
}

/** A page with its status, or why there is none; or where to go after a save and what to say there. */
export type Answer = { readonly status: number; readonly title: string; readonly content: Html } | Notice | { readonly to: string; readonly said: string };

/** Where the records are listed. */
interface List {
  readonly address: string;
  readonly title: string;
}

function noticePage({ notice, because = "", typed = [] }: Notice, list: List) {
  const [status, title, advice] = notices[notice];
  const shown = typed.filter(([, text]) => text !== undefined);
  const content = html\`<h1>\${title}</h1><p>\${because}</p><p>\${advice}</p>
<p><a href="\${list.address}">\${list.title}</a></p>
\${shown.length > 0 && html\`<h2>${word(language, "what-you-typed")}</h2><dl>\${shown.map(([label, text]) => html\`<dt>\${label}</dt><dd>\${text}</dd>\`)}</dl>\`}\`;
  return { status, title, content };
}

/** The cookie with the line that a save leaves, and the address of the page that shows it. */
const saidCookie = "page_said";

/** An address as a cookie's path: without what can't stand in one (RFC 6265, 4.1.1). */
const cookiePath = (address: string): string => address.replaceAll(/[^!-:=-~]/g, encodeURIComponent);

/** Takes the line that a save has left for this page. The list of the records, where a save may lead to, can show it too. */
export function takeSaid(request: Request, response: Response): string | undefined {
  const here = cookiePath(request.originalUrl.split("?")[0] ?? "");
  for (const [, value = ""] of (request.headers.cookie ?? "").matchAll(new RegExp(\`(?:^|; *)\${saidCookie}=([^;]*)\`, "g"))) {
    if (!value.startsWith(encodeURIComponent(\`\${here} \`))) continue;
    response.clearCookie(saidCookie, { path: here });
    try {
      return decodeURIComponent(value).slice(here.length + 1);
    } catch {
      return undefined;
    }
  }
  return undefined;
}

/** Sends an answer. Its addresses are below the one at which the routes are mounted. */
function send(request: Request, response: Response, answer: Answer, { layout = document }: Pick<Options<never>, "layout">, list: List): void {
  response.set("cache-control", "no-store");
  if ("to" in answer) {
    const to = request.baseUrl + answer.to;
    const path = cookiePath(to);
    response.cookie(saidCookie, \`\${path} \${answer.said}\`, { path, maxAge: 60_000, httpOnly: true, sameSite: "lax" });
    response.status(303).location(to).end();
    return;
  }
  const page = "notice" in answer ? noticePage(answer, { ...list, address: request.baseUrl + list.address }) : answer;
  response.status(page.status).type("html").send(layout(page.title, page.content, request).text);
}

/** That a parser has left nothing of a form. */
export const readBefore = (): Error =>
  new Error("A parser before these routes has read the form and left no fields: mount the routes before that parser.");

const parse = urlencoded({ extended: false, limit: "1mb" });

/** Reads a form, unless it was read as one before; of anything else there is no body. */
export const form: RequestHandler = (request, response, next) => {
  if (!request.is("urlencoded")) {
    request.body = undefined;
    next();
  } else if (typeof request.body === "string" || Buffer.isBuffer(request.body)) next(readBefore());
  else parse(request, response, next);
};

/** A form's controls, each sent once; null where one came twice. */
export function bodyOf({ body }: Request): Readonly<Record<string, string>> | null {
  const pairs = Object.entries((body ?? {}) as Readonly<Record<string, unknown>>);
  return pairs.every(([, value]) => typeof value === "string") ? (Object.fromEntries(pairs) as Record<string, string>) : null;
}

/** What was typed, by the names of the controls. */
const typedIn = (request: Request) => Object.entries(bodyOf(request) ?? {}).filter(([name]) => !name.includes("."));

/** What comes before any answer: who asks, and whether they may. An answer that is null was given already. */
export function answering<Actor>(options: Options<Actor>, mayOpen: (actor: Actor) => boolean, list: List) {
  if (options.secret.length < 32) throw new Error("The secret that signs the forms needs at least 32 characters.");
  const respond = async (request: Request, response: Response, answer: (actor: Actor) => Promise<Answer | null>): Promise<void> => {
    const reply = (given: Answer): void => send(request, response, given, options, list);
    const actor = await options.actor(request);
    if (!actor && options.signIn !== undefined && request.method !== "POST")
      return response.redirect(303, \`\${options.signIn}\${options.signIn.includes("?") ? "&" : "?"}next=\${encodeURIComponent(request.originalUrl)}\`);
    if (!actor) return reply({ notice: "signed-out", typed: typedIn(request) });
    if (!mayOpen(actor)) return reply({ notice: "may-not-open" });
    // Nobody has read what is no form.
    if (request.method === "POST" && request.body === undefined) return reply({ notice: "wrong-content-type" });
    try {
      const given = await answer(actor);
      if (given) reply(given);
    } catch (error) {
      if (isNoKey(error)) return reply({ notice: "malformed-key" });
      if (!isAway(error)) throw error;
      reply({ notice: "database-away", typed: typedIn(request) });
    }
  };
  return (answer: (actor: Actor, request: Request, response: Response) => Promise<Answer | null>): RequestHandler =>
    (request, response, next) => {
      // Express 4 does not wait for a handler.
      respond(request, response, (actor) => answer(actor, request, response)).catch(next);
    };
}

export const methodNotAllowed =
  (options: Pick<Options<never>, "layout">, list: List): RequestHandler =>
  (request, response) => {
    response.set("allow", "GET, HEAD, POST, OPTIONS");
    if (request.method === "OPTIONS") response.status(204).end();
    else send(request, response, { notice: "method-not-allowed" }, options, list);
  };

/** Answers a form that was too large to be read; any other error is your application's. */
export const tooLarge =
  (options: Pick<Options<never>, "layout">, list: List): ErrorRequestHandler =>
  (error, request, response, next) => {
    if (error instanceof Error && "status" in error && error.status === 413)
      send(request, response, { notice: "body-too-large", typed: typedIn(request) }, options, list);
    else next(error);
  };
`;
}
