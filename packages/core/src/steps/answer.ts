import * as v from "valibot";
import { formPage } from "../html/form.js";
import { historyPage } from "../html/history.js";
import { documentOf } from "../html/layout.js";
import { besidePage, listPage } from "../html/list.js";
import { type Notice, noticePage } from "../html/notice.js";
import { recordPage } from "../html/record.js";
import { removalPage } from "../html/removal.js";
import { uploadPage } from "../html/upload.js";
import { statusOf } from "../messages/codes.js";
import { word } from "../messages/messages.js";
import { editableFields } from "../page/columns.js";
import { listQuery } from "../page/list-query.js";
import { backName, fileName } from "../page/names.js";
import type { Page } from "../page/page.js";
import type { Row } from "../postgres/statement.js";
import { queryText, recordAddress } from "../settings/bound/path.js";
import { fillTemplate, type Template } from "../settings/bound/template.js";
import type { NoticeOf, Outcome, View } from "../trip/outcome.js";
import type { PageRequest, PageResponse } from "../trip/request.js";
import type { Signer } from "../trip/signer.js";
import type { FileView } from "../views/file-view.js";
import type { Frame } from "../views/frame.js";
import type { PageParts } from "../views/page-parts.js";
import { type TypedText, typedText } from "../views/typed.js";
import { answerJson, statuses } from "./answer-json.js";
import { readBack } from "./back.js";
import { readPairs } from "./read-pairs.js";
import { saidOf, undoOf } from "./said.js";
import { signInTo } from "./sign-in.js";
import { signerThatMade } from "./token.js";

const htmlHeaders = { "content-type": "text/html; charset=utf-8", "cache-control": "no-store" };

const page = (
  status: number,
  parts: PageParts,
  frame: Frame,
  headers: Readonly<Record<string, string>> = {},
): PageResponse => ({
  status,
  headers: { ...htmlHeaders, ...headers },
  body: documentOf(frame, parts),
  page: parts,
});

const json = (content: unknown): PageResponse => ({
  status: 200,
  headers: { "content-type": "application/json; charset=utf-8", "cache-control": "no-store" },
  body: JSON.stringify(content),
});

/** A file that is offered to be kept (RFC 6266). */
const fileHeaders = ({ name, type }: FileView): Readonly<Record<string, string>> => ({
  "content-type": type,
  "content-disposition": `attachment; filename="${name.replaceAll(/[^\w.-]/g, "_")}"; filename*=UTF-8''${encodeURIComponent(name)}`,
  "cache-control": "no-store",
});

/** The name of the cookie (RFC 6265) that carries one line over a redirect. */
export const saidCookie = "quill_said";

const saidSchema = v.strictObject({ text: v.string(), address: v.string(), undo: v.nullable(v.string()) });
type Said = v.InferOutput<typeof saidSchema>;

/** A cookie with the line is at most so long, in bytes, so that no header grows past what servers and proxies take. */
const longestCookie = 3500;

/** The line for the page after a redirect, signed, as a cookie for that page only; cut where it is too long for one. */
function sayNext(said: Said, address: string, signer: Signer): Readonly<Record<string, string>> {
  const path = address.replace(/[?#].*$/s, "");
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
  return `${saidCookie}=${signer.sign(saidText(path, json))}.${encodeURIComponent(json)}; Path=${path}; Max-Age=60; HttpOnly; SameSite=Lax`;
}

/** What is signed of a line: it is for one address only. */
const saidText = (path: string, json: string): string => `said ${path} ${json}`;

/** The line that an earlier answer left for this address, if it was signed here. */
export function readSaid({ said: value, frame, path, saidAt }: PageRequest, signer: Signer): Said | null {
  const dot = value?.indexOf(".") ?? -1;
  if (value === null || dot < 0) return null;
  try {
    const json = decodeURIComponent(value.slice(dot + 1));
    return signerThatMade(signer, value.slice(0, dot), saidText(saidAt ?? `${frame.base}${path}`, json))
      ? v.parse(saidSchema, JSON.parse(json))
      : null;
  } catch {
    return null;
  }
}

/** Forgets the line once it was shown. */
const forget = (
  request: PageRequest,
  path = request.saidAt ?? `${request.frame.base}${request.path}`,
): Record<string, string> =>
  request.said === null ? {} : { "set-cookie": `${saidCookie}=; Path=${path}; Max-Age=0; HttpOnly; SameSite=Lax` };

/** An address that a page's file names, with values of the record in it, each as a part of an address (RFC 3986, 2.1). */
const addressFrom = (at: Page, to: Template, { row, key }: { row: Row; key: readonly string[] }): string =>
  fillTemplate(to, (name) => {
    const part = at.key.findIndex((column) => column.name === name);
    return encodeURIComponent((part < 0 ? row[name] : (row[name] ?? key[part])) ?? "");
  });

/** The form at which a line is said, where several stand in one view: the record's, or that of a new one. */
const saidAtOf = (outcome: Outcome & { kind: "saved" | "unchanged" }, base: string): string => {
  const { path } = outcome.page;
  const isNew = outcome.kind === "saved" && outcome.what === "made";
  return `${base}${isNew ? `${path.list}/new` : recordAddress(path, outcome.key)}`;
};

function afterSave(
  outcome: Outcome & { kind: "saved" | "unchanged" },
  request: PageRequest,
  signer: Signer,
): PageResponse {
  const { base } = request.frame;
  const { path, answer: wanted } = outcome.page;
  const record = `${base}${recordAddress(path, outcome.key)}`;
  const there = outcome.kind === "unchanged" || outcome.what !== "deleted";
  const kept = queryText(listQuery(outcome.page, request.query));
  const places = { list: `${base}${path.list}${kept}`, view: `${record}${kept}`, page: `${record}/edit${kept}` };
  const next = outcome.to === undefined ? null : `${base}${outcome.to}`;
  const back = readBack(request.query, signer);
  // An address of the developer's own is none of the pages.
  const own = there && wanted.to ? addressFrom(outcome.page, wanted.to, outcome) : null;
  const inList = outcome.list === undefined ? null : places.list;
  const location = back ?? inList ?? own ?? next ?? places[there && wanted.saved !== "next" ? wanted.saved : "list"];
  const atEnd = outcome.isLast ? ` ${word(outcome.page.language, "was-last-of-list")}` : "";
  const said = {
    text: `${saidOf(outcome)}${atEnd}`,
    address: back !== null ? saidAtOf(outcome, base) : outcome.kind === "saved" && there ? record : "",
    undo: undoOf(outcome, base, back === null ? {} : { [backName]: request.query[backName] ?? "" }),
  };
  if (outcome.upload) return page(200, uploadPage(outcome.upload, request.frame), request.frame);
  if (outcome.list)
    return page(
      200,
      listPage({ ...outcome.list, notice: said, savedAddress: said.address || null }, request.frame),
      request.frame,
    );
  return {
    // What a script fetches goes on by itself where it is led by a 3xx, before the script can see it (Fetch Standard, 4.4).
    status: request.inPlace ? 200 : 303,
    headers: {
      location,
      "cache-control": "no-store",
      ...(own && !inList && back === null ? {} : sayNext(said, location, signer)),
    },
    body: "",
  };
}

/** What was typed into a page's fields, and which files were chosen, in words. */
function labelled(
  at: Page | null,
  typed: ReadonlyMap<string, string> | undefined,
  files: ReadonlyMap<string, string> | undefined,
): TypedText[] {
  const language = at?.language ?? "en";
  const uploaded = files?.get(fileName);
  if (uploaded !== undefined)
    return [{ label: word(language, "upload-file"), text: word(language, "file-left", { name: uploaded }) }];
  return (at ? editableFields(at) : []).flatMap((field) => {
    const { label, formName } = field;
    const file = files?.get(formName);
    if (file !== undefined) return [{ label, text: word(language, "file-left", { name: file }) }];
    if (field.control === "file") return [];
    const text = typed?.get(field.column.name) ?? typed?.get(formName);
    return text === undefined || text === "" ? [] : [{ label, text: typedText(field, text, language) }];
  });
}

/** What proves that a form was refused here, and where it was sent: a sign-in carries on nothing else. */
const carriedBy = (address: string, body: string, signer: Signer): string =>
  `${signer.sign(`carried ${address}\n${body}`)}.${body}`;

/** The body of a form that was carried through a sign-in, if it was refused here at that address. */
export function readCarried(carried: unknown, address: string, signer: Signer): string | null {
  const dot = typeof carried === "string" ? carried.indexOf(".") : -1;
  if (typeof carried !== "string" || dot < 0) return null;
  const body = carried.slice(dot + 1);
  return signerThatMade(signer, carried.slice(0, dot), `carried ${address}\n${body}`) ? body : null;
}

/** A form that was refused for want of a sign-in goes on with all that was typed: through the sign-in, or beside it. */
function carryOn(refusal: NoticeOf, request: PageRequest, signer: Signer): Notice["carry"] {
  const { carried } = refusal;
  const pairs = carried === undefined ? null : readPairs(carried);
  if (carried === undefined || pairs === null || typeof pairs === "string") return null;
  const address = `${request.frame.base}${request.path}`;
  const { signIn } = request;
  if (signIn !== null && request.signInCarries)
    return { through: signIn, next: address, carried: carriedBy(address, carried, signer) };
  return {
    signIn: signIn === null ? null : signInTo(signIn, address),
    resend: { address, pairs },
  };
}

/** What was typed in a form that nobody read, by column: all pairs that a field of the page has the name of. */
const typedIn = (body: string | undefined): ReadonlyMap<string, string> | undefined => {
  const pairs = body === undefined ? [] : readPairs(body);
  return typeof pairs === "string" ? undefined : new Map(pairs);
};

function refuse(refusal: NoticeOf, request: PageRequest, signer: Signer): PageResponse {
  const { code, because, typed } = refusal;
  const signedOut = code === "signed-out" || code === "signed-out-form";
  const language = refusal.page?.language ?? request.frame.language;
  if (signedOut && request.signIn !== null && request.method !== "POST") {
    const next = `${request.frame.base}${request.path}${queryText(request.query)}`;
    return {
      status: 303,
      headers: { location: signInTo(request.signIn, next), "cache-control": "no-store" },
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
  const shown = labelled(refusal.page, typed ?? typedIn(refusal.carried), refusal.files);
  return page(
    statusOf[code],
    noticePage({ code, because, back, carry, typed: shown }, { ...request.frame, language }),
    request.frame,
    headers,
  );
}

/** What is seen, as the body of an answer, with its status. */
function seen(status: number, view: View, request: PageRequest, signer: Signer): PageResponse {
  const { frame } = request;
  const here = (): Record<string, string> => forget(request);
  switch (view.what) {
    case "form":
      return page(
        status,
        view.list ? besidePage(view.list, view.form, frame) : formPage(view.form, frame),
        frame,
        status === 200 ? here() : {},
      );
    case "list":
      return page(
        status,
        view.form === undefined ? listPage(view.list, frame) : besidePage(view.list, view.form, frame),
        frame,
        forget(request, request.saidAt ?? `${frame.base}${view.list.page.path.list}`),
      );
    case "file":
      return { status, headers: fileHeaders(view.file), body: "", parts: view.file.parts };
    case "record":
      return page(status, recordPage(view.record, frame), frame, here());
    case "history":
      return page(status, historyPage(view.history, frame), frame);
    case "upload":
      return page(status, uploadPage(view.upload, frame), frame);
    case "removal":
      return page(status, removalPage(view.removal, frame), frame);
    case "choices":
      return json(view.choices);
    case "methods":
      return { status: 204, headers: { allow: view.allow, "cache-control": "no-store" }, body: "" };
    case "elsewhere":
      return {
        status: 303,
        headers: {
          location: `${frame.base}${view.to}`,
          "cache-control": "no-store",
          ...(view.said
            ? sayNext({ text: view.said, address: "", undo: null }, `${frame.base}${view.to}`, signer)
            : {}),
        },
        body: "",
      };
    case "better-address":
      return { status: 308, headers: { location: `${frame.base}${view.to}` }, body: "" };
    case "notice":
      return refuse(view.notice, request, signer);
  }
}

/** Outcomes of which people may tell somebody: their pages have the request's number. */
const isToldOf = (kind: Outcome["kind"]): boolean => kind === "failed" || kind === "refused" || kind === "not-found";

/** Turns an outcome into an answer: what is seen, or 303 after a save (RFC 9110, 15.4.4). */
export function answer(outcome: Outcome, given: PageRequest, signer: Signer): PageResponse {
  const request = isToldOf(outcome.kind) ? { ...given, frame: { ...given.frame, number: given.id } } : given;
  const isSaved = outcome.kind === "saved" || outcome.kind === "unchanged";
  const { api } = request;
  if (api) {
    const next = isSaved ? afterSave(outcome, request, signer).headers : null;
    const { location: to = "", "set-cookie": cookie } = next ?? {};
    const said = cookie === undefined ? {} : { "set-cookie": cookie };
    const made = answerJson(outcome, api, next && { to, said }, { request, signer });
    if (made) return made;
  }
  return isSaved ? afterSave(outcome, request, signer) : seen(statuses[outcome.kind], outcome.view, request, signer);
}
