import { createHash } from "node:crypto";
import { readFileSync } from "node:fs";
import { type PageResponse, styleSheet } from "@loyal-quill/core";
import type express from "express";
import { endUnread } from "./downloads.js";
import { joinPolicy } from "./policy.js";
import { throughSpool } from "./spool.js";

const built = (name: string): string => readFileSync(new URL(`../../browser/dist/${name}.js`, import.meta.url), "utf8");

/** The scripts of the pages, as the build left them beside this package: one file, each in a block of its own, behind what they share. */
const script = [
  built("itself").replace(/^export /m, ""),
  ...["choices", "changed", "in-place", "filter"]
    .map((name) => built(name).replace(/^export \{\s*\};?$|^import .*;$/gm, ""))
    .map((text) => `{\n${text}}\n`),
].join("");
export const scriptName = `quill-${createHash("sha256").update(script).digest("hex").slice(0, 10)}.js`;

export const styleName = `quill-${createHash("sha256").update(styleSheet).digest("hex").slice(0, 10)}.css`;

/** The files of the pages, by their addresses below the mount: named by their content, so they may be kept for ever. */
export const pageFiles: ReadonlyMap<string, { readonly type: string; readonly text: string }> = new Map([
  [`/${styleName}`, { type: "text/css", text: styleSheet }],
  [`/${scriptName}`, { type: "text/javascript", text: script }],
]);

/** What holds where the application sets no policy of its own. */
const ownPolicy =
  "default-src 'none'; script-src 'self'; connect-src 'self'; style-src 'self'; font-src 'self'; img-src 'self' data:; form-action 'self'; base-uri 'none'; frame-ancestors 'self'";

/** The headers of an answer, joined with what the application has set for all of its answers: its cookies, its policy. */
function headersOf(
  response: express.Response,
  headers: Readonly<Record<string, string>>,
): Record<string, string | string[]> {
  const joined: Record<string, string | string[]> = {
    "content-security-policy": joinPolicy(response.getHeader("content-security-policy")) ?? ownPolicy,
    "x-content-type-options": "nosniff",
  };
  if (!response.hasHeader("referrer-policy")) joined["referrer-policy"] = "same-origin";
  for (const name in headers) joined[name] = headers[name] ?? "";
  const set = response.getHeader("set-cookie");
  if (set !== undefined) joined["set-cookie"] = [set, headers["set-cookie"] ?? []].flat().map(String);
  return joined;
}

/** Sends the head of an answer that has no body. */
export function sendHead(response: express.Response, { status, headers }: Omit<PageResponse, "body">): void {
  response.writeHead(status, headersOf(response, headers));
  response.end();
}

/** Sends an answer as it is: Express would look for what it may leave out of it. */
export function send(response: express.Response, { status, headers, body }: PageResponse): void {
  const joined = headersOf(response, headers);
  const length = Buffer.byteLength(body);
  joined["content-length"] = String(length);
  response.writeHead(status, joined);
  response.end(body);
  // What is larger than the system takes at once may wait for its reader.
  if (response.writableLength > 0) endUnread(response);
}

/** Waits until an answer takes more. Its listeners are few: whoever serves it has some of its own. @throws where nobody is left to take it */
const roomIn = (response: express.Response): Promise<void> =>
  new Promise((resolve, reject) => {
    if (response.destroyed) return reject(new Error("nobody takes the answer any more"));
    const ended = (): void => {
      response.off("drain", taken);
      reject(new Error("nobody takes the answer any more"));
    };
    const taken = (): void => {
      response.off("close", ended);
      resolve();
    };
    response.once("drain", taken);
    response.once("close", ended);
  });

/**
 * Sends an answer part by part, no faster than it is taken, though its parts are taken from where they come as fast as they come. One that can't be
 * finished is broken off, so that nobody takes it for whole; so is one that nobody reads.
 */
export async function sendParts(
  response: express.Response,
  { status, headers }: PageResponse,
  parts: AsyncIterable<string | Uint8Array>,
): Promise<void> {
  response.writeHead(status, headersOf(response, headers));
  endUnread(response);
  try {
    await throughSpool(parts, async (kept) => {
      for await (const part of kept) if (!response.write(part)) await roomIn(response);
      response.end();
    });
  } catch {
    response.destroy();
  }
}
