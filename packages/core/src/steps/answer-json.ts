import { type JsonProblem, type ProblemDetails, pointerTo, problemJson } from "../json/problem.js";
import { type JsonAnswer, jsonText } from "../json/value.js";
import { historyJson, listJson, newJson, recordJson } from "../json/views.js";
import { type Code, statusOf } from "../messages/codes.js";
import { type Language, titleOfCode, word } from "../messages/messages.js";
import { tokenName } from "../page/names.js";
import { rowPrefix } from "../page/rows.js";
import { recordAddress } from "../settings/bound/path.js";
import type { NoticeOf, Outcome, View } from "../trip/outcome.js";
import type { ApiRequest, PageRequest, PageResponse } from "../trip/request.js";
import type { Signer } from "../trip/signer.js";
import type { FormView } from "../views/form-view.js";
import type { ListView } from "../views/list-view.js";
import type { RecordView } from "../views/record-view.js";
import type { UploadRow, UploadView } from "../views/upload-view.js";
import { saidOf } from "./said.js";

const respond = (
  status: number,
  content: JsonAnswer,
  type = "application/json",
  headers: Readonly<Record<string, string>> = {},
): PageResponse => ({
  status,
  headers: { "content-type": `${type}; charset=utf-8`, "cache-control": "no-store", vary: "accept", ...headers },
  body: jsonText(content),
});

const empty = (status: number, headers: Readonly<Record<string, string>> = {}): PageResponse => ({
  status,
  headers: { "cache-control": "no-store", vary: "accept", ...headers },
  body: "",
});

interface MoreOfProblem {
  readonly headers?: Readonly<Record<string, string>>;
  /** Members besides: the tokens of what was sent, for the next try. */
  readonly tokens?: Readonly<Record<string, string>>;
}

const problem = (details: ProblemDetails, { headers = {}, tokens = {} }: MoreOfProblem = {}): PageResponse =>
  respond(
    details.status,
    { ...(problemJson(details) as object), ...tokens } as JsonAnswer,
    "application/problem+json",
    headers,
  );

/** Seconds after which it may work again (RFC 9110, 10.2.3). */
const retryAfter = { "retry-after": "5" };

function noticeJson({ code, because, page, allow, parameters }: NoticeOf, request: PageRequest): PageResponse {
  const language = page?.language ?? request.frame.language;
  const { title, advice } = titleOfCode(language, code);
  const status = statusOf[code];
  const headers = {
    ...(allow === undefined ? {} : { allow }),
    ...(status === 401 ? { "www-authenticate": "Bearer" } : {}),
    ...(status === 503 ? retryAfter : {}),
  };
  const details = { status, code, title, detail: because === null ? advice : because };
  return problem(parameters ? { ...details, errors: parameters } : details, { headers });
}

type FormCode = "invalid" | "conflict" | "failed";

/** What is wrong with a form, by the names of its controls; each with what stands before them in a row of a list. */
function formErrors(form: FormView, prefix = ""): readonly JsonProblem[] {
  const { language } = form.page;
  const pointerOf = (field: string | null): string => (field === null ? "" : pointerTo(`${prefix}${field}`));
  return [
    ...form.problems.map(({ field, message }) => ({ pointer: pointerOf(field), detail: message })),
    ...form.conflicts.map(({ field, stored }) => ({
      pointer: pointerOf(field),
      detail: `${word(language, "stored-now")} ${stored}`,
    })),
  ];
}

/** The kinds of outcomes by which a form comes back. */
const codeOf = (kind: Outcome["kind"]): FormCode =>
  kind === "conflict" ? "conflict" : kind === "failed" ? "failed" : "invalid";

/** A form that came back, as a problem with a pointer to each of its fields; where a form was sent, with the token for the next try. */
function formProblem(status: number, code: FormCode, form: FormView, { body }: PageRequest): PageResponse {
  const { language } = form.page;
  const errors = formErrors(form);
  const title =
    form.conflicts.length > 0
      ? word(language, "conflict-heading")
      : word(language, errors.length === 1 ? "one-thing" : "many-things", { count: errors.length });
  const tokens = body && "text" in body ? { [tokenName]: form.token } : {};
  return problem({ status, code, title, detail: null, errors }, { headers: status === 503 ? retryAfter : {}, tokens });
}

/** The rows of a list that came back, the same: each control by its name, with its row's number, and each row's token. */
function rowsProblem(status: number, code: FormCode, list: ListView): PageResponse {
  const rows = (list.forms ?? []).map(({ form, said }, number) => ({ form, said, prefix: rowPrefix(number) }));
  const errors = rows.flatMap(({ form, said, prefix }) => [
    ...(form ? formErrors(form, prefix) : []),
    ...(said === null ? [] : [{ pointer: pointerTo(`${prefix}${tokenName}`), detail: said }]),
  ]);
  const tokens = Object.fromEntries(
    rows.flatMap(({ form, prefix }) => (form ? [[`${prefix}${tokenName}`, form.token] as const] : [])),
  );
  const details = { status, code, title: list.problem ?? "", detail: null, errors };
  return problem(details, { headers: status === 503 ? retryAfter : {}, tokens });
}

/** A strong tag (RFC 9110, 8.8.3): the row's version, by which a change is tied to it, and a digest of what was answered. */
const tagOf = (record: RecordView, body: string, signer: Signer): string =>
  `"${record.version}.${signer.digests("tag")(body)}"`;

/** What was asked, and what signs for the answer. */
interface Asked {
  readonly request: PageRequest;
  readonly signer: Signer;
}

function recordAnswer(
  status: number,
  record: RecordView,
  { request, signer }: Asked,
  headers: Readonly<Record<string, string>> = {},
): PageResponse {
  const made = respond(status, recordJson(record, request.frame.base), "application/json", headers);
  const etag = tagOf(record, made.body, signer);
  const known = request.api?.ifNoneMatch ?? null;
  const isKnown =
    known !== null &&
    (known.trim() === "*" ||
      known
        .replaceAll("W/", "")
        .split(/\s*,\s*/)
        .includes(etag));
  const isReading = request.method === "GET" || request.method === "HEAD";
  // A reader may keep it, as long as it asks whether it is still so.
  const kept = { "cache-control": "private, no-cache", etag };
  return isReading && isKnown
    ? { ...empty(304), headers: { ...empty(304).headers, ...kept } }
    : { ...made, headers: { ...made.headers, ...kept } };
}

function seen(kind: keyof typeof statuses, view: View, asked: Asked): PageResponse | null {
  const { request } = asked;
  const { base } = request.frame;
  const status = statuses[kind];
  switch (view.what) {
    case "list":
      return kind === "shown"
        ? respond(status, listJson(view.list, base))
        : rowsProblem(status, codeOf(kind), view.list);
    case "record":
      return recordAnswer(status, view.record, asked);
    case "history":
      return respond(status, historyJson(view.history, base));
    case "form":
      if (kind === "shown") return respond(status, newJson(view.form));
      return formProblem(status, codeOf(kind), view.form, request);
    case "removal":
      return problem({ status, code: "conflict", title: view.removal.said ?? view.removal.title, detail: null });
    case "upload":
      return respond(status, uploadJson(view.upload));
    case "notice":
      return noticeJson(view.notice, request);
    case "choices":
    case "file":
    case "methods":
    case "elsewhere":
    case "better-address":
      return null;
  }
}

/** A file that was looked at, or saved: its rows by what became of them. */
const uploadJson = ({ problem, read, rows, carried, left, saved }: UploadView): JsonAnswer => {
  const of = (...states: readonly UploadRow["state"][]): JsonAnswer =>
    rows
      .filter(({ state }) => states.includes(state))
      .map(({ line, title, said, cells, state }) => ({
        line,
        title,
        state,
        ...(said === null ? {} : { detail: said }),
        cells: cells.map(({ name, old, new: now, problem: wrong, theirs }) => ({
          field: name,
          old,
          new: now,
          ...(wrong === null ? {} : { detail: wrong }),
          ...(theirs === null ? {} : { theirs }),
        })),
      }));
  return {
    ...(problem === null ? {} : { problem }),
    ...(read === null ? {} : { read: { ...read } }),
    ...(saved === null ? {} : { saved }),
    // Sent as `quill.rows`, it is saved.
    ...(carried === null ? {} : { rows: carried }),
    // Sent as `quill.left` with `quill.answer` (csv or xlsx), it is answered with a file.
    ...(left === null ? {} : { left: left.rows }),
    changed: of("changed", "merged"),
    added: of("new"),
    ignored: of("ignored"),
    conflicts: of("conflict"),
    refused: of("refused", "gone", "locked", "twice", "foreign"),
  };
};

/** The status of each kind (RFC 9110, 15); a notice has one of its own. */
export const statuses = {
  shown: 200,
  invalid: 422,
  conflict: 409,
  failed: 503,
  refused: 403,
  "not-found": 404,
} as const;

/** Where a form's answer would lead, and the headers that carry its line there. */
interface Next {
  readonly to: string;
  readonly said: Readonly<Record<string, string>>;
}

/** What is answered of a save: the record, where one is preferred. */
function afterSave(
  outcome: Outcome & { kind: "saved" | "unchanged" },
  api: ApiRequest,
  { to: location, said }: Next,
  asked: Asked,
): PageResponse {
  const { request } = asked;
  const { base } = request.frame;
  const address = `${base}${recordAddress(outcome.page.path, outcome.key)}`;
  const isMade = outcome.kind === "saved" && outcome.what === "made";
  const where = isMade ? { location: address } : {};
  if (outcome.upload) return respond(200, uploadJson(outcome.upload));
  // A form that a script has sent: it goes on to where the answer would have led.
  if (request.body && "text" in request.body)
    return respond(
      200,
      {
        outcome: outcome.kind,
        message: saidOf(outcome),
        location,
        ...(outcome.rows === undefined ? {} : { rows: outcome.rows }),
      },
      "application/json",
      said,
    );
  if (outcome.kind === "saved" && outcome.what === "deleted") return empty(204);
  if (api.minimal || !outcome.record)
    return empty(isMade ? 201 : 204, { ...where, ...(api.minimal ? { "preference-applied": "return=minimal" } : {}) });
  return recordAnswer(isMade ? 201 : 200, outcome.record, asked, where);
}

/** An outcome as JSON; null where its answer is the same in both. */
export function answerJson(outcome: Outcome, api: ApiRequest, next: Next | null, asked: Asked): PageResponse | null {
  if (outcome.kind === "saved" || outcome.kind === "unchanged")
    return afterSave(outcome, api, next ?? { to: "", said: {} }, asked);
  return seen(outcome.kind, outcome.view, asked);
}

/** A description of the pages, or why it is not given. */
export const jsonDocument = (content: JsonAnswer, type?: string): PageResponse => respond(200, content, type);

export const noticeAsJson = (code: Code, language: Language): PageResponse => {
  const { title, advice } = titleOfCode(language, code);
  const status = statusOf[code];
  return problem(
    { status, code, title, detail: advice },
    { headers: status === 401 ? { "www-authenticate": "Bearer" } : {} },
  );
};
