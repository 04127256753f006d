import { controlKind } from "../controls/index.js";
import { type Json, rawMembers, textOfJson, withoutSpaces } from "../json/value.js";
import { message, word } from "../messages/messages.js";
import { isMade, isTaken } from "../page/columns.js";
import { reasonName } from "../page/names.js";
import type { Field, Page } from "../page/page.js";
import type { Row, Stored } from "../postgres/statement.js";
import { readValue } from "../values/read-value.js";
import type { Problem } from "../views/form-view.js";
import type { Submission } from "./read.js";
import { type SubmittedField, tidy } from "./read-field.js";
import type { Claims } from "./token.js";

type Members = Readonly<Record<string, Json>>;

/** How a member is taken. */
interface MemberWay {
  /** Whether it is the value itself, as it was once stored: then nothing is tidied. */
  readonly asIs?: boolean | undefined;
  /** As it was written. */
  readonly raw?: string | undefined;
  /** Whether something is stored that the page's own control can't show: then such values are taken. */
  readonly plain?: boolean | undefined;
  /** What else was sent, as texts: a slug is made of another field. */
  readonly texts?: ReadonlyMap<string, string>;
}

/** A value of JSON in the place of what was typed. */
export function readMember(
  page: Page,
  field: Field,
  value: Json,
  { asIs = false, raw, plain = false, texts = new Map() }: MemberWay = {},
): SubmittedField {
  const { column } = field;
  const wrong = (said: string): SubmittedField => ({
    field,
    sent: true,
    text: "",
    touched: true,
    value: null,
    problem: { field: column.name, message: said },
  });
  const given = raw !== undefined && column.type.kind === "json" && value !== null ? raw : textOfJson(column, value);
  if (given === undefined) return wrong(word(page.language, "json-member-wrong", { type: column.type.shown }));
  if (asIs && column.type.kind === "text" && value !== null)
    return { field, sent: true, text: given, touched: true, value: given, problem: null };
  const text = asIs ? given : tidy(field, given, texts);
  // An empty text is a text; null is none.
  const isEmpty = text === "" && typeof value === "string" && field.empty === "text";
  const read = isEmpty ? ({ ok: true, value: "" } as const) : readValue(column.type, text, page.timeZone);
  if (!read.ok)
    return wrong(field.message ?? message(page.language, read.code, { label: field.label, ...read.places }));
  const refused =
    asIs || plain || read.value === null ? null : (controlKind(field.control).refuses?.(read.value) ?? null);
  if (refused !== null) return wrong(field.message ?? message(page.language, refused, { label: field.label }));
  return { field, sent: true, text, touched: true, value: read.value, problem: null };
}

/**
 * Whether a member says what is stored: JSON in other spaces does, null where the JSON value null is stored, and an empty text where one is stored,
 * whatever the page else makes of it.
 */
function isStored(
  { column }: Field,
  { value, text }: SubmittedField,
  member: Json | undefined,
  stored: Stored,
): boolean {
  if (value === stored) return true;
  if (stored === null) return false;
  if (column.type.kind !== "json") return stored === "" && member === "" && text === "";
  return withoutSpaces(value ?? "null") === withoutSpaces(stored);
}

const unsent = (field: Field): SubmittedField => ({
  field,
  sent: false,
  text: "",
  touched: false,
  value: null,
  problem: null,
});

/**
 * Takes the members of an object as the fields of a form: null is no value; a member that is not there is left alone.
 *
 * @param stored the record as it is stored, by which what is the same is known as untouched; empty for a new one
 * @param way whether values are taken as they are, and what was sent as it was written
 * @returns the submission, or what is wrong with members that are no fields
 */
export function readJson(
  page: Page,
  members: Members,
  { claims, stored }: { readonly claims: Claims; readonly stored: Row },
  { asIs = false, raw }: { readonly asIs?: boolean | undefined; readonly raw?: string | undefined } = {},
): { readonly submission: Submission; readonly strays: readonly Problem[] } {
  const form = claims.form === "new" ? "new" : "edit";
  // Files come by forms.
  const taken = page.fields.filter((field) => isTaken(field, form) && field.control !== "file");
  const texts = new Map(
    taken.flatMap((field) => {
      const { name } = field.column;
      const text = textOfJson(field.column, (Object.hasOwn(members, name) ? members[name] : null) ?? null);
      return text === undefined ? [] : [[field.column.name, text] as const];
    }),
  );
  const hasJson = raw !== undefined && taken.some(({ column }) => column.type.kind === "json");
  const written = hasJson ? rawMembers(raw) : new Map<string, string>();
  const fields = taken.map((field): SubmittedField => {
    const { name } = field.column;
    const isGiven = claims.given?.includes(name) === true;
    if (!Object.hasOwn(members, name)) {
      if (isGiven) return { ...unsent(field), sent: true, touched: true, value: stored[name] ?? null };
      // What is made of another field where it is left empty is made for a new record.
      return isMade(field) && form === "new" && !asIs ? readMember(page, field, "", { texts }) : unsent(field);
    }
    const read = readMember(page, field, members[name] ?? null, {
      asIs,
      raw: written.get(name),
      plain: claims.plain?.includes(name),
      texts,
    });
    const isSame =
      form === "edit" && read.problem === null && isStored(field, read, members[name], stored[name] ?? null);
    return isSame ? { ...read, touched: false } : read;
  });
  const names = new Set(taken.map(({ column }) => column.name));
  const strays = Object.keys(members)
    .filter((name) => !names.has(name) && name !== reasonName)
    .map((name) => ({
      field: name,
      message: word(
        page.language,
        page.fields.some(({ column }) => column.name === name) ? "json-member-shown-only" : "json-member-unknown",
        { name },
      ),
    }));
  const reason = members[reasonName];
  const submission: Submission = {
    claims,
    token: "",
    fields,
    ignored: [],
    noticed: [],
    search: null,
    picks: [],
    take: null,
    told: [],
    reason: typeof reason === "string" ? reason.replaceAll("\0", "").trim().slice(0, 1000) || null : null,
    stale: null,
  };
  return { submission, strays };
}
