import { boxName } from "../controls/check-box.js";
import { removeName } from "../controls/file.js";
import { controlKind } from "../controls/index.js";
import { comparable, keeping, normal, show } from "../controls/show.js";
import type { Code } from "../messages/codes.js";
import { message } from "../messages/messages.js";
import { isMade, isTaken } from "../page/columns.js";
import { memoizePerPage } from "../page/memoize-per-page.js";
import {
  conflictsName,
  reasonName,
  saveName,
  searchButtonName,
  searchTextName,
  takeName,
  tokenName,
  unfinishedName,
} from "../page/names.js";
import type { Field, Page } from "../page/page.js";
import type { Stored } from "../postgres/statement.js";
import { kindOf } from "../rules/index.js";
import type { Tidying } from "../settings/field/tidy.js";
import type { SentFile } from "../trip/request.js";
import type { Signer } from "../trip/signer.js";
import type { Trip } from "../trip/trip.js";
import { suggestion } from "../values/nearest.js";
import { type ReadValue, readValue } from "../values/read-value.js";
import { slugOf } from "../values/slug.js";
import type { ChoiceSearch, Problem } from "../views/form-view.js";
import { takenDigest } from "./prefill.js";
import {
  type Claims,
  type FieldDigest,
  fieldDigest,
  isOfSession,
  nothingShown,
  readToken,
  signerOfClaims,
} from "./token.js";

/** One field of a submission. */
export interface SubmittedField {
  readonly field: Field;
  /** Whether the form sent it. One that was not sent is left alone. */
  readonly sent: boolean;
  /** As typed, in its normal form. */
  readonly text: string;
  /** As it came over the wire; left out where nothing came. */
  readonly raw?: string;
  /** Set where its control was on the form, showed something, and sent nothing. */
  readonly missing?: true;
  /** Whether it differs from what the control showed when the form was made. */
  readonly touched: boolean;
  /** The value as read; null where the text is no value of the type. */
  readonly value: Stored;
  readonly problem: Problem | null;
}

export interface Submission {
  readonly claims: Claims;
  readonly token: string;
  readonly fields: readonly SubmittedField[];
  /** What was sent but is not on the form, by name: it is not taken. */
  readonly ignored: readonly (readonly [name: string, value: string])[];
  /** What the developer should know of what came: controls that did not come, and such that nobody expects. */
  readonly noticed: readonly string[];
  /** Where choices were asked for: then nothing is to be saved. */
  readonly search: ChoiceSearch | null;
  /** What was typed to be found among a field's choices and not chosen, in a form that is to be saved. */
  readonly picks: readonly ChoiceSearch[];
  /** The field whose stored value is wanted in the place of what was typed: then nothing is to be saved. */
  readonly take: string | null;
  /** The fields at which the form told of somebody else's value. */
  readonly told: readonly string[];
  /** Why it is saved; null where nothing was said. */
  readonly reason: string | null;
  /** Why the form has to be looked at again before it is taken: null for one that is as it should be. */
  readonly stale: Stale | null;
}

/**
 * What is the matter with a form that was made here, for this person and record: it is of another session of theirs, too old, or of
 * an earlier version of the page that takes one of its fields in another way.
 */
export type Stale = "session" | "age" | "version";

export type ReadResult =
  | { readonly ok: true; readonly submission: Submission }
  | { readonly ok: false; readonly code: Code; readonly reason: string; readonly typed: ReadonlyMap<string, string> };

/** At most this many name and value pairs are read from a body. */
const mostPairs = 2000;

function decoded(text: string): string {
  const spaced = text.includes("+") ? text.replaceAll("+", " ") : text;
  return spaced.includes("%") ? decodeURIComponent(spaced) : spaced;
}

/**
 * Reads a body of type `application/x-www-form-urlencoded` (URL Standard, 5.1), strictly: broken percent-encoding and bytes
 * that are not UTF-8 are refused, not replaced.
 *
 * @returns the pairs in their order, or what is wrong
 */
export function readPairs(body: string): readonly (readonly [string, string])[] | string {
  const pairs: [string, string][] = [];
  try {
    for (const part of body.split("&")) {
      if (part === "") continue;
      if (pairs.length === mostPairs) return `more than ${mostPairs} values`;
      const equals = part.indexOf("=");
      pairs.push(equals < 0 ? [decoded(part), ""] : [decoded(part.slice(0, equals)), decoded(part.slice(equals + 1))]);
    }
  } catch {
    return "percent-encoding that is broken or not UTF-8";
  }
  return pairs;
}

const tidied: Readonly<Record<Exclude<Tidying, object>, (text: string) => string>> = {
  trim: (text) => text.trim(),
  "single-spaces": (text) => text.replaceAll(/[^\S\n]+/g, " "),
  upper: (text) => text.toUpperCase(),
  lower: (text) => text.toLowerCase(),
};

/**
 * A typed text after the field's tidying.
 *
 * @param sent what else the form sent: a slug that was left empty is made of another field
 */
export function tidy(field: Field, text: string, sent: ReadonlyMap<string, string> = new Map()): string {
  const plain = field.tidy.reduce((before: string, each) => {
    if (typeof each === "string") return tidied[each](before);
    return before.trim() === "" ? slugOf(sent.get(each.slug) ?? "") : before;
  }, text);
  // Whether a rule with a condition applies isn't known before all fields are read.
  return field.rules.reduce(
    (before, rule) => (rule.when ? before : (kindOf(rule).tidied?.(rule.demand, before) ?? before)),
    plain,
  );
}

/**
 * A file: a new one, none, or the stored one left as it is. Its text, by which rules judge it, is its size in bytes, its type and its name.
 */
function readFile(
  { page, files }: Holder,
  field: Field,
  sent: ReadonlyMap<string, string>,
  claims: Claims,
): SubmittedField {
  const { column, formName, label } = field;
  const isSent = claims.shown[column.name] !== undefined;
  const base = { field, sent: isSent, text: "", touched: false, value: null, problem: null };
  const file = files?.get(formName);
  if (!isSent) return base;
  if (!file) return sent.get(removeName(formName)) === "true" ? { ...base, touched: true } : base;
  const value = column.type.kind === "text" ? file.text() : `\\x${file.hex()}`;
  const text = `${file.size} ${file.type} ${file.name}`;
  if (value !== null && !value.includes("\0")) return { ...base, text, touched: true, value };
  const said = message(page.language, "file-no-text", { label });
  return { ...base, text, touched: true, problem: { field: column.name, message: said } };
}

/** A field that was sent as it was shown. Few ask for its value, so it is read when somebody does. */
class UntouchedField implements SubmittedField {
  readonly sent = true;
  readonly touched = false;
  readonly problem = null;
  private read: Stored | undefined;

  constructor(
    readonly field: Field,
    readonly text: string,
    readonly raw: string,
    private readonly page: Pick<Page, "timeZone" | "language">,
  ) {}

  get value(): Stored {
    if (this.read === undefined) {
      const read = readTyped(this.field, this.text, this.page, true);
      this.read = read.ok ? read.value : null;
    }
    return this.read;
  }
}

/** The names that a form of a page sends: those of its fields, and those of its own controls. */
interface FormNames {
  readonly fields: readonly Field[];
  /** Of each control that has a value, the column. */
  readonly names: ReadonlyMap<string, string>;
  /** Those columns. */
  readonly columns: ReadonlySet<string>;
  readonly reserved: ReadonlySet<string>;
}

const namesFor = (form: Claims["form"]) =>
  memoizePerPage((page): FormNames => {
    const fields = form === "delete" ? [] : page.fields.filter((field) => isTaken(field, form));
    const names = new Map(fields.map((field) => [field.formName, field.column.name]));
    const own = fields.flatMap(({ column, formName }) => [
      boxName(formName),
      removeName(formName),
      searchTextName(column.name),
    ]);
    return {
      fields,
      names,
      columns: new Set(names.values()),
      reserved: new Set([
        tokenName,
        saveName,
        searchButtonName,
        takeName,
        conflictsName,
        reasonName,
        unfinishedName,
        ...own,
      ]),
    };
  });

const namesOf = { edit: namesFor("edit"), new: namesFor("new"), delete: namesFor("delete") };

function readField(
  page: Page,
  field: Field,
  sent: ReadonlyMap<string, string>,
  { claims, digest }: { readonly claims: Claims; readonly digest: FieldDigest },
): SubmittedField {
  const { name } = field.column;
  // A control that sent nothing was not on the form; but a box that is not ticked sends nothing (HTML, 4.10.21.4).
  const raw =
    sent.get(name) ?? (sent.has(boxName(field.formName)) ? (controlKind(field.control).unsent ?? "false") : undefined);
  const shown = claims.shown[name];
  if (raw === undefined || shown === undefined) {
    // Of radio buttons of which none was chosen none is sent (HTML, 4.10.21.4).
    const isExpected = shown !== undefined && shown !== nothingShown && raw === undefined;
    const none = { field, sent: false, text: "", touched: false, value: null, problem: null } as const;
    return isExpected ? { ...none, missing: true } : raw === undefined ? none : { ...none, raw };
  }
  const control = keeping(field.control, raw);
  // Left empty, what is not shown stays as it is.
  if (field.hidden && claims.form === "edit") {
    const text = tidy(field, normal("multi-line", raw), sent);
    if (text === "") return new UntouchedField(field, "", raw, page);
    return asTyped(page, field, { raw, text, touched: true }, readTyped(field, text, page, false));
  }
  // One that shows what is stored may be another than the one that keeps what was typed.
  const controls = control === field.control ? [control] : [control, field.control];
  const same = (text: string): boolean => controls.some((each) => digest(name, normal(each, text)) === shown);
  const asShown = same(raw);
  if (asShown) return new UntouchedField(field, normal(control, raw), raw, page);
  const text = tidy(field, normal("multi-line", raw), sent);
  const read = readTyped(field, text, page, claims.plain?.includes(name) === true);
  const shownAs = read.ok && read.value !== null ? show(field, read.value, page).text : null;
  const touched = !(same(text) || (shownAs !== null && shownAs !== text && same(shownAs)));
  return asTyped(page, field, { raw, text, touched }, read);
}

/**
 * A typed text as a value of its column. What a date control could not show again, `infinity` or a year before Christ, is
 * taken where there was a text control only: the page's own wish, or since something of that kind is stored.
 */
function readTyped(
  { column, control, empty }: Field,
  text: string,
  { timeZone, language }: Pick<Page, "timeZone" | "language">,
  plain: boolean,
): ReadValue {
  if (text === "" && empty === "text") return { ok: true, value: "" };
  const kind = controlKind(control);
  const read = readValue(column.type, kind.valueText?.(text, column) ?? text, timeZone, language);
  if (!read.ok || read.value === null || plain) return read;
  const code = kind.refuses?.(read.value) ?? null;
  return code === null ? read : { ok: false, code };
}

function asTyped(
  page: Page,
  field: Field,
  { raw, text, touched }: { readonly raw: string; readonly text: string; readonly touched: boolean },
  read: ReadValue,
): SubmittedField {
  if (read.ok) return { field, sent: true, text, raw, touched, value: read.value, problem: null };
  const said = field.message ?? message(page.language, read.code, { label: field.label, ...read.places });
  const problem = touched ? { field: field.column.name, message: said } : null;
  return { field, sent: true, text, raw, touched, value: null, problem };
}

/**
 * Fields that are made of others where they are left empty: also one that came empty and stayed so, as soon as the form is one
 * that saves anything. A record's form that was not touched at all stays untouched.
 */
function withMade(
  page: Page,
  form: Claims["form"],
  fields: readonly SubmittedField[],
  sent: ReadonlyMap<string, string>,
): readonly SubmittedField[] {
  if (form === "edit" && fields.every((each) => !each.touched)) return fields;
  return fields.map((each) => {
    const { field } = each;
    if (!each.sent || each.touched || !isMade(field) || each.text.trim() !== "") return each;
    const text = tidy(field, each.text, sent);
    return text === each.text
      ? each
      : asTyped(page, field, { raw: each.raw ?? "", text, touched: true }, readTyped(field, text, page, true));
  });
}

/** What was given beforehand and left as it was is stored as what was typed. */
const asGiven = ({ field, text, raw = "", value, problem }: SubmittedField): SubmittedField => ({
  field,
  sent: true,
  text,
  raw,
  touched: true,
  value,
  problem,
});

/** Whom a form must have been made for, and what for. */
export interface Holder {
  readonly form: Claims["form"];
  readonly page: Page;
  readonly key: readonly string[];
  readonly actor: string;
  readonly session: string;
  readonly now: Date;
  /** The greatest age of a form, in milliseconds. */
  readonly formAge: number;
  /** The files that came with it, by the names of their controls. */
  readonly files?: ReadonlyMap<string, SentFile> | undefined;
}

/** Whether a token was made for this page, record and person: what stands against forgery from other sites as well. */
function madeFor(claims: Claims, holder: Holder): boolean {
  const sameKey =
    claims.key.length === holder.key.length && claims.key.every((value, index) => value === holder.key[index]);
  return claims.form === holder.form && claims.page === holder.page.name && sameKey && claims.actor === holder.actor;
}

/** Why a form that was made for this person has to be looked at again, if it has to. */
function staleOf(claims: Claims, { form, page, session, now, formAge }: Holder, signer: Signer): Stale | null {
  if (!isOfSession(claims, session, signer)) return "session";
  if (now.getTime() - Date.parse(claims.at) > formAge) return "age";
  const same =
    claims.version === page.version ||
    takenDigest(page, form, Object.keys(claims.shown), signerOfClaims(claims, signer)) === claims.taken;
  return same ? null : "version";
}

/** What was typed to be found among a field's choices. No text of PostgreSQL has a NUL in it: nothing would be found by one. */
const lookedFor = ({ column }: Field, sent: ReadonlyMap<string, string>): string =>
  (sent.get(searchTextName(column.name)) ?? "").replaceAll("\0", "").trim();

/**
 * Whether a field's choices were asked for: by its button, or by the enter key, which presses no button that has a name, after
 * something to look for was typed.
 */
function searchIn(fields: readonly Field[], sent: ReadonlyMap<string, string>): ChoiceSearch | null {
  const asked = sent.get(searchButtonName);
  const typed = fields.find((field) => lookedFor(field, sent) !== "");
  const name = asked ?? (sent.has(saveName) ? undefined : typed?.column.name);
  const field = fields.find(({ column, choices }) => column.name === name && choices?.from === "table");
  return field ? { column: field.column.name, text: lookedFor(field, sent) } : null;
}

/** What was typed to be found and not chosen: nobody may lose it without a word. */
const picksIn = (fields: readonly Field[], sent: ReadonlyMap<string, string>): readonly ChoiceSearch[] =>
  fields.flatMap((field) => {
    const text = lookedFor(field, sent);
    return field.choices?.from === "table" && text !== "" ? [{ column: field.column.name, text }] : [];
  });

/** A field with the choice that was found for it. */
export function asPicked(
  submission: Submission,
  field: Field,
  value: string,
  { page, dependencies: { signer } }: Pick<Trip, "page" | "dependencies">,
): SubmittedField {
  const { claims } = submission;
  const { name } = field.column;
  const shown = fieldDigest(signerOfClaims(claims, signer), claims.id)(name, comparable(field, value, page));
  return { field, sent: true, text: value, raw: value, touched: shown !== claims.shown[name], value, problem: null };
}

/** A date that was begun and not finished is none, whatever was sent of it. */
function unfinished(page: Page, each: SubmittedField): SubmittedField {
  const { field } = each;
  const code = controlKind(field.control).unfinished;
  if (code === undefined) return each;
  const said = field.message ?? message(page.language, code, { label: field.label });
  return {
    field,
    sent: true,
    text: "",
    raw: "",
    touched: true,
    value: null,
    problem: { field: field.column.name, message: said },
  };
}

/**
 * Takes the expected fields of a submission and nothing else, tidies them and reads them as values of their columns.
 * A field whose text has the digest of what its control showed is untouched, whatever way it went through the browser.
 */
export function read(holder: Holder, body: string, signer: Signer): ReadResult {
  const pairs = readPairs(body);
  if (typeof pairs === "string") return { ok: false, code: "form-broken", reason: pairs, typed: new Map() };
  return readSent(holder, pairs, signer);
}

/** The same for a form whose names and values are known already. */
export function readSent(holder: Holder, pairs: readonly (readonly [string, string])[], signer: Signer): ReadResult {
  const { fields, names, columns, reserved } = namesOf[holder.form](holder.page);
  const sent = new Map<string, string>();
  const ignored: (readonly [string, string])[] = [];
  let twice: string | undefined;
  for (const [given, value] of pairs) {
    const column = names.get(given);
    if (column === undefined && !reserved.has(given)) {
      ignored.push([given, value]);
      continue;
    }
    const name = column ?? given;
    if (sent.has(name)) twice ??= given;
    sent.set(name, value);
  }
  const refuse = (code: Code, reason: string): ReadResult => {
    const typed = new Map([...sent].filter(([name]) => columns.has(name)));
    return { ok: false, code, reason, typed };
  };
  if (twice !== undefined) return refuse("form-broken", `"${twice}" was sent more than once`);
  const token = sent.get(tokenName);
  if (token === undefined) return refuse("form-not-yours", "the form's token is missing");
  const claims = readToken(token, signer);
  if (!claims) return refuse("form-not-yours", "the form's token was not signed here");
  if (!madeFor(claims, holder)) return refuse("form-not-yours", "the form was made for another page, record or person");
  const digest = fieldDigest(signerOfClaims(claims, signer), claims.id);
  const read = fields.map((field) =>
    field.control === "file"
      ? readFile(holder, field, sent, claims)
      : readField(holder.page, field, sent, { claims, digest }),
  );
  const begun = namesIn(sent.get(unfinishedName));
  const submitted = withMade(holder.page, holder.form, read, sent).map((each) => {
    if (begun.includes(each.field.formName)) return unfinished(holder.page, each);
    return each.sent && claims.given?.includes(each.field.column.name) ? asGiven(each) : each;
  });
  const search = searchIn(fields, sent);
  const taken = sent.get(takeName);
  return {
    ok: true,
    submission: {
      claims,
      token,
      fields: submitted,
      ignored,
      noticed: noticedIn(submitted, ignored),
      search,
      picks: search ? [] : picksIn(fields, sent),
      take: taken !== undefined && columns.has(taken) ? taken : null,
      told: namesIn(sent.get(conflictsName)).filter((name) => columns.has(name)),
      reason: reasonIn(sent.get(reasonName)),
      stale: staleOf(claims, holder, signer),
    },
  };
}

/** What is strange about what came: seldom, and then most likely the reason why something "does not save". */
function noticedIn(fields: readonly SubmittedField[], ignored: Submission["ignored"]): readonly string[] {
  const missing = fields.filter((each) => each.missing).map(({ field }) => field.formName);
  if (missing.length === 0 && ignored.length === 0) return [];
  const names = fields.map(({ field }) => field.formName);
  return [
    ...missing.map((name) => `The control "${name}" was on the form and did not come, so its field is left as it is.`),
    ...ignored.map(
      ([name]) =>
        `"${name}" came and is no control of this form, so it is not taken.${suggestion(name, missing.length > 0 ? missing : names)}`,
    ),
  ];
}

/** The most that can be said of why, in characters. */
const longestReason = 1000;

const reasonIn = (text = ""): string | null =>
  text.replaceAll("\0", "").replaceAll(/\r\n?/g, "\n").trim().slice(0, longestReason) || null;

/** The names of a JSON array; none where it is something else. */
function namesIn(json = "[]"): readonly string[] {
  try {
    const read: unknown = JSON.parse(json);
    return Array.isArray(read) ? read.filter((each) => typeof each === "string") : [];
  } catch {
    return [];
  }
}

/** What was typed, by column: shown again where a form comes back. What is made of another field where it is left empty comes back empty. */
export const typedTexts = (submission: Submission): ReadonlyMap<string, string> =>
  new Map(
    submission.fields
      .filter((each) => each.sent)
      .map((each) => [each.field.column.name, isLeftEmpty(each) ? "" : each.text]),
  );

/** Whether a field that is made of another one was left empty. */
export const isLeftEmpty = ({ field, raw }: SubmittedField): boolean => isMade(field) && raw?.trim() === "";
