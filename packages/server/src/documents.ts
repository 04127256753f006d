import { type Actor, document, type Frame, html, mayOpen, type Page, titleOfCode } from "@loyal-quill/core";
import type { Request, Response } from "express";
import type { Logger } from "pino";
import { problem } from "./api/problem.js";

/** The list of the pages that a person may open: the root of the served pages. */
export function homePage(
  pages: readonly { readonly page: Page; readonly mount: string }[],
  actor: Actor,
  frame: Frame,
  hasWorkbench: boolean,
): string {
  const facts = { actor, row: {}, form: {}, now: new Date() };
  const open = pages.filter(({ page }) => mayOpen(page, facts) === true);
  const links = open.map(({ page, mount }) => html`<li><a href="${mount}${page.path.list}">${page.plural}</a></li>`);
  const workbench =
    hasWorkbench && actor.roles.includes("builder") && html`<p><a href="/workbench">Go to the workbench</a></p>`;
  const list =
    open.length > 0 ? html`<ul class="pages">${links}</ul>` : html`<p class="empty">No page is open to you yet.</p>`;
  return document(frame, "Pages", html`<h1>Pages</h1>${list}${workbench}`);
}

/** A title and a line, with the way to the list of pages. */
function plainPage(frame: Frame, title: string, line: string): string {
  return document(frame, title, html`<h1>${title}</h1><p>${line}</p><p><a href="/">To the list of pages</a></p>`);
}

/** There is nothing at this address. */
export function nothingHere(frame: Frame): string {
  const { title, advice } = titleOfCode("en", "no-such-address");
  return plainPage(frame, title, advice);
}

/** The workbench is for builders. */
export const noBuilder = (frame: Frame): string =>
  plainPage(frame, "The workbench is not open to you", "It is open to accounts with the role builder.");

/** Whether an error says that PostgreSQL can't be reached: Node's connection errors, or SQLSTATE classes 08, 53 and 57. */
const isStoreAway = (error: unknown): boolean =>
  /^(ECONN|EPIPE|ETIMEDOUT|08|53|57)/.test(String((error as { code?: unknown }).code ?? ""));

function statusOf(error: unknown): number {
  const asked = (error as { status?: unknown }).status;
  if (typeof asked === "number" && asked >= 400 && asked < 500) return asked;
  return isStoreAway(error) ? 503 : 500;
}

function wordsOf(status: number): { title: string; advice: string } {
  if (status === 503) return titleOfCode("en", "database-away");
  if (status === 500)
    return { title: "Something went wrong here", advice: "It was written down. Nothing was changed." };
  return { title: "This can't be read", advice: "What was sent is not what this address takes." };
}

/** The last answer: what a person sent is their matter (4xx); a store that is away is said; anything else is a bug, logged. */
export function answerFailure(
  error: unknown,
  request: Request,
  response: Response,
  frame: Frame,
  logger: Logger,
): void {
  if (response.headersSent) {
    response.end();
    return;
  }
  const status = statusOf(error);
  if (status >= 500) logger.error({ err: error, url: request.path }, "a request failed");
  const { title, advice } = wordsOf(status);
  if (request.path.startsWith("/workbench/api")) problem(response, status, title, advice);
  else
    response
      .status(status)
      .type("html")
      .send(plainPage(frame, title, advice));
}
