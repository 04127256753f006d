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
  return `import { type Request, type RequestHandler, type Response, urlencoded } from "express";
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

/** A page with its status, or where to go after a save and what to say there. */
export type Answer = { readonly status: number; readonly title: string; readonly content: Html } | { readonly to: string; readonly said: string };

/** What is answered where there is no form to show, with its status (RFC 9110, 15). */
const notices = {
${notices.join("\n")}
"too-busy": [503, ${quote(message(language, "unavailable-busy"))}, ""],
} as const;

interface List {
  readonly address: string;
  readonly title: string;
}

/** @param more why, and what was typed, so that nothing of it is lost */
export function notice(code: keyof typeof notices, list: List, { because = "", typed = [] }: { because?: string; typed?: readonly (readonly [label: string, text: string | undefined])[] } = {}): Answer {
  const [status, title, advice] = notices[code];
  const shown = typed.filter(([, text]) => text !== undefined);
  const content = html\`<h1>\${title}</h1><p>\${because}</p><p>\${advice}</p>
<p><a href="\${list.address}">\${list.title}</a></p>
\${shown.length > 0 && html\`<h2>${word(language, "what-you-typed")}</h2><dl>\${shown.map(([label, text]) => html\`<dt>\${label}</dt><dd>\${text}</dd>\`)}</dl>\`}\`;
  return { status, title, content };
}

/** The cookie with the line that a save leaves for the page after it. */
const saidCookie = "page_said";

export function readSaid(request: Request): string | undefined {
  const [, said] = new RegExp(\`(?:^|; )\${saidCookie}=([^;]*)\`).exec(request.headers.cookie ?? "") ?? [];
  try {
    return said === undefined ? undefined : decodeURIComponent(said);
  } catch {
    return undefined;
  }
}

function send(request: Request, response: Response, answer: Answer, layout: NonNullable<Options<never>["layout"]> = document): void {
  response.set("cache-control", "no-store");
  if ("to" in answer) {
    response.cookie(saidCookie, answer.said, { path: answer.to, maxAge: 60_000, httpOnly: true, sameSite: "lax" });
    response.status(303).location(answer.to).end();
    return;
  }
  if (answer.status === 200) response.clearCookie(saidCookie, { path: request.baseUrl + request.path });
  response.status(answer.status).type("html").send(layout(answer.title, answer.content, request).text);
}

/** Reads a form; of anything else there is no body. */
export const form: RequestHandler = urlencoded({ extended: false, limit: "1mb" });

/** A form's controls, each sent once; null where one came twice. */
export function bodyOf({ body }: Request): Readonly<Record<string, string>> | null {
  const pairs = Object.entries((body ?? {}) as Readonly<Record<string, unknown>>);
  return pairs.every(([, value]) => typeof value === "string") ? (Object.fromEntries(pairs) as Record<string, string>) : null;
}

/** What comes before any answer: who asks, and whether they may. An answer that is null was given already. */
export const answering =
  <Actor>(options: Options<Actor>, mayOpen: (actor: Actor) => boolean, list: List) =>
  (answer: (actor: Actor, request: Request, response: Response) => Promise<Answer | null>): RequestHandler =>
  async (request, response) => {
    const reply = (given: Answer): void => send(request, response, given, options.layout);
    const typed = Object.entries(bodyOf(request) ?? {}).filter(([name]) => !name.includes("."));
    const actor = await options.actor(request);
    if (!actor && options.signIn !== undefined && request.method !== "POST")
      return response.redirect(303, \`\${options.signIn}\${options.signIn.includes("?") ? "&" : "?"}next=\${encodeURIComponent(request.originalUrl)}\`);
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
`;
}
