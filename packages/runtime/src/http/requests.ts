import { randomUUID } from "node:crypto";
import type { ApiRequest, PageRequest, RecordedRequest } from "@loyal-quill/core";
import { parse } from "cookie";
import type express from "express";
import { isJson } from "./body.js";

/** A cookie as it was sent: the line that it carries is signed as it stands, and decoded after that. */
export const cookie = (request: express.Request, name: string): string | null =>
  parse(request.headers.cookie ?? "", { decode: (text) => text })[name] ?? null;

const uuid = /^[\da-f]{8}-[\da-f]{4}-[\da-f]{4}-[\da-f]{4}-[\da-f]{12}$/;

/** The number under which a request is recorded: the one that the application's own log has given it, where that is a UUID. */
export function idOf(request: express.Request): string {
  const { id } = request as { readonly id?: unknown };
  return typeof id === "string" && uuid.test(id) ? id : randomUUID();
}

/** What a request's address asks for, whatever the application makes of such parameters: of a name that is there several times the last. */
export function queryOf({ url }: express.Request): Pick<PageRequest, "query" | "repeated"> {
  const at = url.indexOf("?");
  if (at < 0) return { query: {} };
  const pairs = [...new URLSearchParams(url.slice(at + 1))];
  const query = Object.fromEntries(pairs);
  const names = pairs.map(([name]) => name);
  if (Object.keys(query).length === names.length) return { query };
  return { query, repeated: [...new Set(names.filter((name, index) => names.indexOf(name) !== index))] };
}

export const isLooking = ({ method }: express.Request): boolean => method === "GET" || method === "HEAD";

/** The header by which the script of a page says that it shows the answer in place (Structured Field Values, RFC 8941: a boolean). */
const inPlaceHeader = "quill-in-place";

export const isInPlace = (request: express.Request): boolean => request.get(inPlaceHeader) === "?1";

/** Whether JSON is spoken: it is sent, or preferred, or the method is none of a page's. */
export function speaksJson(request: express.Request): boolean {
  if (isJson(request) || request.method === "PATCH" || request.method === "DELETE") return true;
  // What browsers send first, and what asks for anything, needs no weighing.
  const { accept } = request.headers;
  if (accept === undefined || accept === "*/*" || (accept.startsWith("text/html,") && !accept.includes("json")))
    return false;
  return request.accepts(["html", "json", "application/problem+json"]) !== "html";
}

/** Whether a form was sent (HTML, 4.10.21.6): its addresses are those of the pages, whatever its answer is asked for as. */
export const isForm = (request: express.Request): boolean =>
  request.method === "POST" &&
  /^(application\/x-www-form-urlencoded|multipart\/form-data)\b/i.test(request.get("content-type") ?? "");

/** What a request asks for by its headers, where it speaks JSON. */
export const apiOf = (request: express.Request): ApiRequest => ({
  ifMatch: request.get("if-match") ?? null,
  ifNoneMatch: request.get("if-none-match") ?? null,
  minimal: /(^|[\s,;])return=minimal($|[\s,;])/i.test(request.get("prefer") ?? ""),
});

/**
 * Whether a browser sends something for another site. Pages have tokens against that; JSON can't be sent across sites without the browser asking
 * beforehand (Fetch Standard, 3.2), which is never granted, and this says so as well.
 *
 * @param isByToken whether a token of the request's own has signed it in, and nothing that a browser sends by itself
 */
export function isCrossSite(request: express.Request, isByToken: boolean): boolean {
  // A token is sent by whoever has it, and by no browser on its own; a password of HTTP authentication is (RFC 7617, 2.2).
  if (isByToken) return false;
  const site = request.get("sec-fetch-site");
  if (site !== undefined) return site !== "same-origin" && site !== "none";
  const origin = request.get("origin");
  return origin !== undefined && (!URL.canParse(origin) || !hostsOf(request).includes(new URL(origin).host));
}

/** What a request's host is called: by itself, and by a proxy before the application, where the application trusts it (Express, `trust proxy`). */
function hostsOf(request: express.Request): readonly (string | undefined)[] {
  const own = request.get("host");
  const trusts = request.app.get("trust proxy fn") as
    | ((address: string | undefined, hop: number) => boolean)
    | undefined;
  if (!trusts?.(request.socket.remoteAddress, 0)) return [own];
  return [own, request.get("x-forwarded-host")?.split(",")[0]?.trim()];
}

/** Whether a request can only have been signed in by a token of its own: it has one, and no cookie beside it. */
export const hasOnlyToken = ({ headers }: express.Request): boolean =>
  headers.cookie === undefined && /^Bearer /i.test(headers.authorization ?? "");

/** Headers that hold what nobody else may have, those of proxies and hosts included. */
const secretHeader = /cookie|auth|token|secret|session|key|password|credential|signature|jwt/i;

/** Which headers are secret, of those that came so far: the same ones come with each request. */
const secrets = new Map<string, boolean>();
/** So many names are remembered: anybody may send new ones. */
const mostNames = 500;

function isSecret(name: string): boolean {
  const known = secrets.get(name);
  if (known !== undefined) return known;
  const secret = secretHeader.test(name);
  if (secrets.size < mostNames) secrets.set(name, secret);
  return secret;
}

/** A recorded request with the headers that it came with. */
export function withHeaders(recorded: RecordedRequest, { headers, httpVersion }: express.Request): RecordedRequest {
  if (!recorded.wire) return recorded;
  const kept: Record<string, string> = { ":version": httpVersion };
  for (const name in headers) {
    const value = headers[name];
    if (value !== undefined) kept[name] = isSecret(name) ? "(not kept)" : String(value).slice(0, 1000);
  }
  return { ...recorded, wire: { ...recorded.wire, headers: kept } };
}
