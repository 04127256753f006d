import { boxName } from "../controls/check-box.js";
import { removeName } from "../controls/file.js";
import { controlKind } from "../controls/index.js";
import { comparable, keeping, normal, readText, show } from "../controls/show.js";
import { message } from "../messages/messages.js";
import { isMade } from "../page/columns.js";
import type { Field, Page } from "../page/page.js";
import type { Stored } from "../postgres/statement.js";
import { kindOf } from "../rules/index.js";
import type { Tidying } from "../settings/field/tidy.js";
import type { SentFile } from "../trip/request.js";
import type { Trip } from "../trip/trip.js";
import type { ReadValue } from "../values/read-value.js";
import { slugOf } from "../values/slug.js";
import type { Problem } from "../views/form-view.js";
import { type Claims, type FieldDigest, fieldDigest, nothingShown, signerOfClaims } from "./token.js";

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
export function readFile(
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

export function readField(
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
function readTyped(field: Field, text: string, page: Pick<Page, "timeZone" | "language">, plain: boolean): ReadValue {
  if (text === "" && field.empty === "text") return { ok: true, value: "" };
  const read = readText(field, text, page);
  if (!read.ok || read.value === null || plain) return read;
  const code = controlKind(field.control).refuses?.(read.value) ?? null;
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
export function withMade(
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
export const asGiven = ({ field, text, raw = "", value, problem }: SubmittedField): SubmittedField => ({
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

/** A field with the choice that was found for it. */
export function asPicked(
  claims: Claims,
  field: Field,
  value: string,
  { page, dependencies: { signer } }: Pick<Trip, "page" | "dependencies">,
): SubmittedField {
  const { name } = field.column;
  const shown = fieldDigest(signerOfClaims(claims, signer), claims.id)(name, comparable(field, value, page));
  return { field, sent: true, text: value, raw: value, touched: shown !== claims.shown[name], value, problem: null };
}

/** A date that was begun and not finished is none, whatever was sent of it. */
export function unfinished(page: Page, each: SubmittedField): SubmittedField {
  const { field } = each;
  const { unfinished: code, joined } = controlKind(field.control);
  if (code === undefined) return each;
  // Of two controls the other one was finished.
  const text = joined ? each.text : "";
  const said = field.message ?? message(page.language, code, { label: field.label });
  return {
    field,
    sent: true,
    text,
    raw: text,
    touched: true,
    value: null,
    problem: { field: field.column.name, message: said },
  };
}
