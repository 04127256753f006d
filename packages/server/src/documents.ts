import {
  type Actor,
  ConditionTooLong,
  document,
  type Frame,
  factsOf,
  html,
  type Language,
  labelFrom,
  type Markup,
  mayOpen,
  type Page,
  readPairs,
  resendForm,
  reservedSegments,
  titleOfCode,
  word,
} from "@loyal-quill/core";
import { readBody } from "@loyal-quill/runtime";
import type { Request, Response } from "express";
import type { Logger } from "pino";
import { isAtWorkbench } from "./api/access.js";
import { problem } from "./api/problem.js";
import { say } from "./words.js";

interface HomeOptions {
  readonly hasWorkbench: boolean;
  /** A line or two on the application; null for none. */
  readonly about?: string | null | undefined;
}

/** The root of the served pages: what the application is, and the pages that a person may open, with a line each. */
export function homePage(
  pages: readonly { readonly page: Page; readonly mount: string }[],
  actor: Actor,
  frame: Frame,
  { hasWorkbench, about = null }: HomeOptions,
): string {
  const facts = factsOf(actor, new Date());
  const opens = (page: Page): boolean => {
    try {
      return mayOpen(page, facts) === true;
    } catch (error) {
      // A page that asks too much says so itself: the others are listed.
      if (error instanceof ConditionTooLong) return false;
      throw error;
    }
  };
  const open = pages.filter(({ page }) => opens(page));
  const links = open.map(
    ({ page, mount }) =>
      html`<li><a href="${mount}${page.path.list}">${page.plural}</a>${page.description && html`<p>${page.description}</p>`}</li>`,
  );
  const workbench =
    hasWorkbench &&
    isAtWorkbench(actor) &&
    html`<p><a href="/workbench">${say(frame.language, "to-workbench")}</a></p>`;
  const list =
    open.length > 0
      ? html`<ul class="quill-pages">${links}</ul>`
      : html`<p class="quill-empty">${say(frame.language, "no-page")}</p>`;
  return document(
    frame,
    say(frame.language, "home"),
    html`<h1>${frame.application}</h1>${about && html`<p>${about}</p>`}<h2>${say(frame.language, "pages")}</h2>${list}${workbench}`,
  );
}

/** A title and a line, with the way to the list of pages. */
function plainPage(frame: Frame, title: string, line: string): string {
  return document(
    frame,
    title,
    html`<h1>${title}</h1><p>${line}</p><p><a href="/">${say(frame.language, "to-pages")}</a></p>`,
  );
}

/** There is nothing at this address. */
export function nothingHere(frame: Frame): string {
  const { title, advice } = titleOfCode(frame.language, "no-such-address");
  return plainPage(frame, title, advice);
}

/** The workbench is for builders. */
export const noBuilder = (frame: Frame): string =>
  plainPage(frame, say(frame.language, "no-builder"), say(frame.language, "no-builder-advice"));

/** What a lost connection is called by Node, PostgreSQL (SQLSTATE classes 08, 53 and 57), `pg`, its pool and MikroORM's. */
const awayCode = /^(ECONN|EPIPE|ETIMEDOUT|EAI_|ENOTFOUND|EHOSTUNREACH|ENETUNREACH|08|53|57)/;
const awayWords =
  /connection (terminated|error|ended)|connection timeout|timeout expired|timeout exceeded when trying to connect|query read timeout|not queryable|acquiring a connection|pool is probably full|socket/i;

/** Whether an error says that PostgreSQL can't be reached, or one that it came from. */
export function isStoreAway(error: unknown, depth = 0): boolean {
  if (typeof error !== "object" || error === null || depth > 4) return false;
  const { code, message, name, cause, previous } = error as Readonly<Record<string, unknown>>;
  if (
    awayCode.test(String(code ?? "")) ||
    name === "ConnectionException" ||
    name === "DatabaseAway" ||
    awayWords.test(String(message ?? ""))
  )
    return true;
  return isStoreAway(cause, depth + 1) || isStoreAway(previous, depth + 1);
}

function statusOf(error: unknown): number {
  const asked = (error as { status?: unknown }).status;
  if (typeof asked === "number" && asked >= 400 && asked < 500) return asked;
  return isStoreAway(error) ? 503 : 500;
}

function wordsOf(status: number, language: Language): { title: string; advice: string } {
  if (status === 503) return titleOfCode(language, "database-away");
  if (status === 413) return titleOfCode(language, "body-too-large");
  if (status === 500) return { title: say(language, "went-wrong"), advice: say(language, "went-wrong-advice") };
  return { title: say(language, "unreadable"), advice: say(language, "unreadable-advice") };
}

/**
 * A form that could not be taken, kept on the answer with all that was typed and a button that sends it again.
 *
 * @returns null where what was sent is no form of a served page
 */
async function keptForm(request: Request, frame: Frame): Promise<Markup | null> {
  // What is sent to the application itself are passwords and codes, and no form of a page.
  if (request.method !== "POST" || reservedSegments.has(request.path.split("/")[1]?.toLowerCase() ?? "")) return null;
  const body = await readBody(request);
  const pairs = body && "text" in body ? readPairs(body.text) : "no form";
  if (typeof pairs === "string") return null;
  const again = resendForm({ address: request.originalUrl, pairs }, word(frame.language, "send-again"));
  const typed = pairs.filter(([name, value]) => !name.startsWith("quill.") && value !== "");
  const list = html`<dl class="quill-typed">${typed.map(([name, value]) => html`<div><dt>${labelFrom(name)}</dt><dd>${value}</dd></div>`)}</dl>`;
  return html`<p>${word(frame.language, "kept-here")}</p>${again}<h2>${word(frame.language, "what-you-typed")}</h2>${list}`;
}

/**
 * The last answer: what a person sent is their matter (4xx); a store that is away is said; anything else is a bug, logged. A form
 * goes with its answer, so that nothing that was typed is lost.
 */
export async function answerFailure(
  error: unknown,
  { request, response }: { readonly request: Request; readonly response: Response },
  frame: Frame,
  logger: Logger,
): Promise<void> {
  if (response.headersSent) {
    response.end();
    return;
  }
  const status = statusOf(error);
  if (status >= 500) logger.error({ err: error, url: request.path }, "a request failed");
  const { title, advice } = wordsOf(status, request.path.startsWith("/workbench") ? "en" : frame.language);
  if (request.path.startsWith("/workbench/api")) {
    problem(response, status, title, advice);
    return;
  }
  const kept = status >= 500 ? await keptForm(request, frame) : null;
  const page = kept
    ? document(frame, title, html`<h1>${title}</h1><p>${advice}</p>${kept}`)
    : plainPage(frame, title, advice);
  response.status(status).type("html").set("cache-control", "no-store").send(page);
}
