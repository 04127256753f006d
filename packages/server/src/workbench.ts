import { randomBytes } from "node:crypto";
import { readFile } from "node:fs/promises";
import path from "node:path";
import { signInTo } from "@loyal-quill/core";
import compression from "compression";
import express, { type Request, type Response } from "express";
import { isAtWorkbench } from "./api/access.js";
import type { Account } from "./store/entities.js";

/** The workbench's built modules and fonts: named by their content, so they may be kept for ever. */
export const workbenchAssets = (directory: string): express.Handler[] => [
  compression(),
  express.static(path.join(directory, "assets"), { immutable: true, maxAge: "1y", index: false, fallthrough: false }),
];

/** Its single document, with a nonce for the styles that its components make (CSP Level 3, 2.3). */
function sendDocument(template: string, response: Response): void {
  const nonce = randomBytes(18).toString("base64");
  response.set({
    "content-security-policy": `default-src 'self'; script-src 'self'; style-src 'self' 'nonce-${nonce}'; img-src 'self' data:; object-src 'none'; base-uri 'none'; frame-ancestors 'none'; form-action 'self'`,
    "cache-control": "no-store",
  });
  response.type("html").send(template.replaceAll("%NONCE%", nonce));
}

/**
 * The workbench at every address below its mount, for whoever has a role of the application itself.
 *
 * @param refused answers somebody who is signed in and has none
 * @param signIn where somebody who isn't is sent
 */
export async function workbenchRoutes(
  directory: string,
  account: (request: Request) => Promise<Account | null>,
  refused: (request: Request, response: Response, account: Account) => void,
  signIn = "/sign-in",
): Promise<express.Handler> {
  const template = await readFile(path.join(directory, "index.html"), "utf8");
  return async (request, response) => {
    const found = await account(request);
    if (!found) return response.redirect(303, signInTo(signIn, request.originalUrl));
    if (!isAtWorkbench(found)) return refused(request, response, found);
    sendDocument(template, response);
  };
}
