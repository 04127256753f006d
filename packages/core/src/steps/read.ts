import { boxName } from "../controls/check-box.js";
import type { ControlKind } from "../controls/control.js";
import { removeName } from "../controls/file.js";
import { controlKind } from "../controls/index.js";
import type { Code } from "../messages/codes.js";
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
import type { Field } from "../page/page.js";
import type { Signer } from "../trip/signer.js";
import { suggestion } from "../values/nearest.js";
import type { ChoiceSearch } from "../views/form-view.js";
import { takenDigest } from "./prefill.js";
import { asGiven, type Holder, readField, readFile, type SubmittedField, unfinished, withMade } from "./read-field.js";
import { readPairs } from "./read-pairs.js";
import { type Claims, fieldDigest, isOfSession, readToken, signerOfClaims } from "./token.js";

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

type ReadResult =
  | { readonly ok: true; readonly submission: Submission }
  | { readonly ok: false; readonly code: Code; readonly reason: string; readonly typed: ReadonlyMap<string, string> };

/** The names that a form of a page sends: those of its fields, and those of its own controls. */
interface FormNames {
  readonly fields: readonly Field[];
  /** Of each control that has a value, the column. */
  readonly names: ReadonlyMap<string, string>;
  /** Those columns. */
  readonly columns: ReadonlySet<string>;
  readonly reserved: ReadonlySet<string>;
  /** Of columns whose control is two elements, how their texts are one. */
  readonly joins: ReadonlyMap<string, NonNullable<ControlKind["joined"]>>;
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
      joins: new Map(
        fields.flatMap(({ control, column }) => {
          const { joined } = controlKind(control);
          return joined ? [[column.name, joined] as const] : [];
        }),
      ),
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
  const { fields, names, columns, reserved, joins } = namesOf[holder.form](holder.page);
  const sent = new Map<string, string>();
  const joined = new Set<string>();
  const ignored: (readonly [string, string])[] = [];
  let twice: string | undefined;
  for (const [given, value] of pairs) {
    const column = names.get(given);
    if (column === undefined && !reserved.has(given)) {
      ignored.push([given, value]);
      continue;
    }
    const name = column ?? given;
    const before = sent.get(name);
    if (before === undefined) sent.set(name, value);
    else if (joins.has(name) && !joined.has(name)) {
      joined.add(name);
      sent.set(name, joins.get(name)?.([before, value]) ?? value);
    } else {
      twice ??= given;
      sent.set(name, value);
    }
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
