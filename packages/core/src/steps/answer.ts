import * as v from "valibot";
import { renderTemplate, toldMoment } from "../controls/told.js";
import { formPage } from "../html/form.js";
import { listPage } from "../html/list.js";
import { type Notice, noticePage } from "../html/notice.js";
import { recordPage } from "../html/record.js";
import { removalPage } from "../html/removal.js";
import { statusOf } from "../messages/codes.js";
import { word } from "../messages/messages.js";
import { editableFields } from "../page/columns.js";
import type { Page } from "../page/page.js";
import { recordAddress } from "../page/path.js";
import type { Outcome, Refusal } from "../trip/outcome.js";
import type { PageRequest, PageResponse } from "../trip/request.js";
import type { Signer } from "../trip/signer.js";
import { titleOf } from "./prefill.js";
import { readPairs } from "./read.js";
import { sameText } from "./token.js";

const htmlHeaders = { "content-type": "text/html; charset=utf-8", "cache-control": "no-store" };

const page = (status: number, body: string, headers: Readonly<Record<string, string>> = {}): PageResponse => ({
  status,
  headers: { ...htmlHeaders, ...headers },
  body,
});

const json = (content: unknown): PageResponse => ({
  status: 200,
  headers: { "content-type": "application/json; charset=utf-8", "cache-control": "no-store" },
  body: JSON.stringify(content),
});

/** The name of the cookie (RFC 6265) that carries one line over a redirect. */
export const saidCookie = "quill_said";

const saidSchema = v.strictObject({ text: v.string(), address: v.string() });
type Said = v.InferOutput<typeof saidSchema>;

/** A cookie with the line is at most so long, in bytes, so that no header grows past what servers and proxies take. */
const longestCookie = 3500;

/** The line for the page after a redirect, signed, as a cookie for that page only; cut where it is too long for one. */
function sayNext(said: Said, path: string, signer: Signer): Readonly<Record<string, string>> {
  const whole = saidCookieOf(said, path, signer);
  if (whole.length <= longestCookie) return { "set-cookie": whole };
  const characters = [...said.text];
  let [fits, tooMany] = [0, characters.length];
  while (tooMany - fits > 1) {
    const middle = Math.floor((fits + tooMany) / 2);
    const cut = saidCookieOf({ ...said, text: `${characters.slice(0, middle).join("")}…` }, path, signer);
    if (cut.length <= longestCookie) fits = middle;
    else tooMany = middle;
  }
  const cut = saidCookieOf({ ...said, text: `${characters.slice(0, fits).join("")}…` }, path, signer);
  return cut.length <= longestCookie ? { "set-cookie": cut } : {};
}

function saidCookieOf(said: Said, path: string, signer: Signer): string {
  const json = JSON.stringify(said);
  return `${saidCookie}=${signer.sign(`said ${json}`)}.${encodeURIComponent(json)}; Path=${path}; Max-Age=60; HttpOnly; SameSite=Lax`;
}

/** The line that an earlier answer left, if it was signed here. */
export function readSaid(value: string | null, signer: Signer): Said | null {
  const dot = value?.indexOf(".") ?? -1;
  if (value === null || dot < 0) return null;
  try {
    const json = decodeURIComponent(value.slice(dot + 1));
    return sameText(signer.sign(`said ${json}`), value.slice(0, dot)) ? v.parse(saidSchema, JSON.parse(json)) : null;
  } catch {
    return null;
  }
}

/** Forgets the line once it was shown. */
const forget = (request: PageRequest, path: string): Record<string, string> =>
  request.said === null ? {} : { "set-cookie": `${saidCookie}=; Path=${path}; Max-Age=0; HttpOnly; SameSite=Lax` };

/** What is said of a save on the page that it leads to. */
function saidOf(outcome: Outcome & { kind: "saved" | "unchanged" }): string {
  const { page: at, row, key } = outcome;
  const title = titleOf(at, row, key);
  if (outcome.earlier !== undefined)
    return word(at.language, "was-saved", { title, at: toldMoment(at, outcome.earlier) });
  if (outcome.kind === "unchanged") return word(at.language, "nothing-changed", { title });
  if (outcome.what === "deleted") return word(at.language, "is-deleted", { title });
  return at.answer.message ? renderTemplate(at, at.answer.message, row) : word(at.language, "is-saved", { title });
}

function afterSave(
  outcome: Outcome & { kind: "saved" | "unchanged" },
  request: PageRequest,
  signer: Signer,
): PageResponse {
  const { base } = request.frame;
  const { path, answer: wanted } = outcome.page;
  const record = `${base}${recordAddress(path, outcome.key)}`;
  const there = outcome.kind === "unchanged" || outcome.what !== "deleted";
  const places = { list: `${base}${path.list}`, view: record, page: `${record}/edit` };
  const location = places[there ? wanted.saved : "list"];
  const said = { text: saidOf(outcome), address: outcome.kind === "saved" && there ? record : "" };
  return {
    status: 303,
    headers: { location, "cache-control": "no-store", ...sayNext(said, location, signer) },
    body: "",
  };
}

const labelled = (at: Page | null, typed: ReadonlyMap<string, string> | undefined): { label: string; text: string }[] =>
  (at ? editableFields(at) : []).flatMap((field) => {
    const text = typed?.get(field.column.name);
    return text === undefined ? [] : [{ label: field.label, text }];
  });

/** What proves that a form was refused here, and where it was sent: a sign-in carries on nothing else. */
export const carriedBy = (address: string, body: string, signer: Signer): string =>
  `${signer.sign(`carried ${address}\n${body}`)}.${body}`;

/** The body of a form that was carried through a sign-in, if it was refused here at that address. */
export function readCarried(carried: unknown, address: string, signer: Signer): string | null {
  const dot = typeof carried === "string" ? carried.indexOf(".") : -1;
  if (typeof carried !== "string" || dot < 0) return null;
  const body = carried.slice(dot + 1);
  return sameText(signer.sign(`carried ${address}\n${body}`), carried.slice(0, dot)) ? body : null;
}

/** A form that was refused for want of a sign-in goes on with all that was typed: through the sign-in, or beside it. */
function carryOn(refusal: Refusal, request: PageRequest, signer: Signer): Notice["carry"] {
  const { carried } = refusal;
  const pairs = carried === undefined ? null : readPairs(carried);
  if (carried === undefined || pairs === null || typeof pairs === "string") return null;
  const address = `${request.frame.base}${request.path}`;
  const { signIn } = request;
  if (signIn !== null && request.signInCarries)
    return { through: signIn, next: address, carried: carriedBy(address, carried, signer) };
  return {
    signIn: signIn === null ? null : `${signIn}?next=${encodeURIComponent(address)}`,
    resend: { address, pairs },
  };
}

/** What was typed in a form that nobody read, by column: all pairs that a field of the page has the name of. */
const typedIn = (body: string | undefined): ReadonlyMap<string, string> | undefined => {
  const pairs = body === undefined ? [] : readPairs(body);
  return typeof pairs === "string" ? undefined : new Map(pairs);
};

function refuse(refusal: Refusal, request: PageRequest, signer: Signer): PageResponse {
  const { code, because, typed } = refusal;
  const signedOut = code === "signed-out" || code === "signed-out-form";
  const language = refusal.page?.language ?? request.frame.language;
  if (signedOut && request.signIn !== null && request.method !== "POST") {
    const next = `${request.frame.base}${request.path}`;
    return {
      status: 303,
      headers: { location: `${request.signIn}?next=${encodeURIComponent(next)}`, "cache-control": "no-store" },
      body: "",
    };
  }
  const list =
    refusal.page && code !== "may-not-open" && !signedOut
      ? {
          href: `${request.frame.base}${refusal.page.path.list}`,
          text: word(language, "to-the-list", { list: refusal.page.plural }),
        }
      : null;
  const carry = carryOn(refusal, request, signer);
  const signIn =
    signedOut && request.signIn !== null && !carry ? { href: request.signIn, text: word(language, "sign-in") } : null;
  const back = carry ? null : (signIn ?? list ?? { href: request.frame.home, text: word(language, "to-the-pages") });
  const headers = refusal.allow === undefined ? {} : { allow: refusal.allow };
  const shown = labelled(refusal.page, typed ?? typedIn(refusal.carried));
  return page(
    statusOf[code],
    noticePage({ code, because, back, carry, typed: shown }, { ...request.frame, language }),
    headers,
  );
}

/** Turns an outcome into an answer: 200, 303 after a save (RFC 9110, 15.4.4), 422 and 409 with the filled form, or a refusal. */
export function answer(outcome: Outcome, request: PageRequest, signer: Signer): PageResponse {
  switch (outcome.kind) {
    case "shown": {
      if ("allow" in outcome)
        return { status: 204, headers: { allow: outcome.allow, "cache-control": "no-store" }, body: "" };
      if ("judged" in outcome) return json(outcome.judged);
      if ("moved" in outcome)
        return { status: 308, headers: { location: `${request.frame.base}${outcome.moved}` }, body: "" };
      if ("list" in outcome)
        return page(
          200,
          listPage(outcome.list, request.frame),
          forget(request, `${request.frame.base}${outcome.list.page.path.list}`),
        );
      const here = forget(request, `${request.frame.base}${request.path}`);
      if ("choices" in outcome) return json(outcome.choices);
      if ("record" in outcome) return page(200, recordPage(outcome.record, request.frame), here);
      if ("removal" in outcome) return page(200, removalPage(outcome.removal, request.frame));
      return page(200, formPage(outcome.form, request.frame), here);
    }
    case "invalid":
      return page(422, formPage(outcome.form, request.frame));
    case "conflict":
      if ("removal" in outcome) return page(409, removalPage(outcome.removal, request.frame));
      return page(409, formPage(outcome.form, request.frame));
    case "saved":
    case "unchanged":
      return afterSave(outcome, request, signer);
    case "failed":
      return "form" in outcome ? page(503, formPage(outcome.form, request.frame)) : refuse(outcome, request, signer);
    case "refused":
    case "not-found":
      return refuse(outcome, request, signer);
  }
}
