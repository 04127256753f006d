import type { Actor } from "@loyal-quill/core/condition/facts";
import { readText, show } from "@loyal-quill/core/controls/show";
import { reasonName, tokenName } from "@loyal-quill/core/page/names";
import type { Field, Page } from "@loyal-quill/core/page/page";
import type { Database, DatabaseAway, DatabaseRefusal, Stored } from "@loyal-quill/core/postgres/statement";
import { demandsOf } from "@loyal-quill/core/rules/rule";
import { step } from "@loyal-quill/core/rules/step";
import { tidy } from "@loyal-quill/core/steps/read-field";
import type { StepName } from "@loyal-quill/core/trip/round-trip";
import { bodyOf, type DocumentForm } from "../browser.js";
import { type Case, LeftOut, NotJudged } from "../case.js";
import { type Prepared, type RehearsedRecord, typedOf } from "../prepare.js";
import type { Stage } from "../stage.js";
import type { Sent } from "../staging.js";
import { checksOf } from "./checks-of.js";
import { fieldSamples } from "./field-samples.js";
import { refusedBy } from "./refused-by.js";

/** What a case is about, and what must come of it. */
interface Told {
  readonly title: string;
  readonly expects: string;
  /** A standard's section, or `page file: …`, or `table: …`. */
  readonly by: string;
  /** Belongs to the whole set only. */
  readonly slow?: true;
}

/** Makes the cases of one step. */
export const casesOf =
  (step: StepName) =>
  (kind: string, told: Told, play: Case["play"], about = ""): Case => ({
    id: about === "" ? kind : `${kind}:${about}`,
    step,
    kind,
    title: told.title,
    expects: told.expects,
    by: told.by,
    quick: told.slow !== true,
    play,
  });

/** The person and a record that they may edit. @throws LeftOut where there is none */
export function editing({ actor, editable }: Prepared, place = 0): { actor: Actor; record: RehearsedRecord } {
  if (!actor) throw new LeftOut("There is nobody to whom the page is open.");
  const record = editable[Math.min(place, editable.length - 1)];
  if (!record) throw new LeftOut("There is no record that somebody may edit.");
  return { actor, record };
}

/** Fields that a case can type into: on the form, not a file, told to people. */
export const typedFields = ({ fields }: Page): readonly Field[] =>
  fields.filter(({ readOnly, control, hidden, when }) => !readOnly && control !== "file" && !hidden && when === null);

/** The form's body with some fields typed anew. What is typed into a box is `true` or `false`. */
export function typing(page: Page, form: DocumentForm, edits: Readonly<Record<string, string | null>>): string {
  const byName = Object.entries(edits).map(([name, typed]): [string, string | null] => {
    const field = page.fields.find(({ column }) => column.name === name);
    if (!field) return [name, typed];
    return [field.formName, field.control === "check-box" && typed === "false" ? null : typed];
  });
  const hasReason = form.controls.some(({ name }) => name === reasonName);
  return bodyOf(form.pairs, { ...(hasReason ? { [reasonName]: "A rehearsal." } : {}), ...Object.fromEntries(byName) });
}

/** The token of a form. */
export const tokenOf = (form: DocumentForm): string => form.pairs.find(([name]) => name === tokenName)?.[1] ?? "";

/** What comes of a stored value that is typed as the control shows it: line breaks become one kind, 0.10 becomes 0.1, and an empty list nothing. */
export function asTypedAgain(page: Page, field: Field, value: string): Stored {
  const shown = show(field, value, page);
  // What the field's own control can't show can't be typed into it.
  if (shown.control !== field.control) return null;
  // What a browser sends, and what is made of it (HTML, 4.10.21.4).
  const typed = shown.text.replaceAll(/\r\n|\r/g, "\n");
  if (typed === "" && field.empty === "text") return "";
  const read = readText(field, typed, page);
  return read.ok ? read.value : null;
}

const stepped = (value: string, by: number): string | null => {
  const [, sign = "", whole = "", part] = /^(-?)(\d{1,15})(?:\.(\d+))?$/.exec(value) ?? [];
  if (whole === "") return null;
  const scale = part?.length ?? 0;
  const scaled = BigInt(`${sign}${whole}${part ?? ""}`) + BigInt(by);
  const digits = (scaled < 0n ? -scaled : scaled).toString().padStart(scale + 1, "0");
  const text = scale > 0 ? `${digits.slice(0, -scale)}.${digits.slice(-scale)}` : digits;
  return `${scaled < 0n ? "-" : ""}${text}`;
};

/** A step above a number, and one below it. */
const stepsOf = ({ rules }: Field, own: string): readonly (string | null)[] =>
  demandsOf<string>(rules, step).flatMap(({ demand }) => {
    const by = Number(demand) * 10 ** (/\.(\d+)$/.exec(own)?.[1]?.length ?? 0);
    return Number.isSafeInteger(by) ? [stepped(own, by), stepped(own, -by)] : [];
  });

/** Other values that a field may take, the likeliest first: in the database's text form. */
export function otherValues(
  { page, values }: Prepared,
  field: Field,
  row: Readonly<Record<string, Stored>>,
): readonly string[] {
  const { column, choices } = field;
  const own = row[column.name] ?? null;
  const { kind, labels } = column.type;
  const known = (values.get(column.name) ?? []).filter((value) => value !== own);
  const near: (string | null)[] = [];
  if (kind === "boolean") near.push(own === "true" ? "false" : "true");
  else if (kind === "enum") near.push(...labels);
  else if (choices?.from === "labels") near.push(...choices.labels);
  else if (choices === null && (kind === "integer" || kind === "decimal") && own !== null)
    near.push(...[1, -1, 2].map((by) => stepped(own, by)), ...stepsOf(field, own));
  else if (choices === null && kind === "text" && own !== null && own !== "")
    near.push(`${own}x`, `${own.slice(0, -1)}x`, `${own.slice(0, -1)}7`);
  else if (own === null && kind === "text" && choices === null) near.push("Rehearsed", "R1");
  else if (own === null && (kind === "integer" || kind === "decimal") && choices === null) near.push("1", "0");
  const samples = choices?.from === "table" ? [] : fieldSamples(field);
  const all = [...near, ...known, ...samples].filter((value): value is string => value !== null && value !== own);
  return [...new Set(all)]
    .filter((value) => {
      const typed = typedOf(page, field, value);
      return (
        tidy(field, typed) === typed &&
        refusedBy(field, value, typed) === null &&
        asTypedAgain(page, field, value) === value
      );
    })
    .slice(0, 8);
}

/** What the form offers in a list of choices: those of a table are nowhere else. */
export const offered = (form: DocumentForm, field: Field): readonly string[] =>
  form.controls.find(({ name }) => name === field.formName)?.options.filter((value) => value !== "") ?? [];

/** A save that went through, with what it changed. */
export interface Changed {
  readonly sent: Sent;
  readonly field: Field;
  readonly value: string;
  readonly form: DocumentForm;
  /** What was sent. */
  readonly body: string;
}

/** Who changes which field of which record. */
interface Change {
  readonly actor: Actor;
  readonly record: RehearsedRecord;
  readonly field: Field;
}

/**
 * Opens a record and changes one field to another value that the page takes: one after the other is tried, and what was refused
 * leaves nothing.
 *
 * @throws NotJudged where none of the values that were at hand is taken
 */
export async function change(
  stage: Stage,
  prepared: Prepared,
  { actor, record: { key, row }, field }: Change,
): Promise<Changed> {
  const { page } = prepared;
  const { form } = await stage.form(stage.address(key, "/edit"), actor);
  const known = otherValues(prepared, field, row);
  const more = field.choices?.from === "table" ? offered(form, field) : [];
  const isOther = (value: string): boolean => value !== row[field.column.name] && !known.includes(value);
  const candidates = [...known, ...more.filter(isOther).slice(0, 4)];
  let last = candidates.length === 0 ? "no other value is known" : "";
  for (const value of candidates) {
    const body = typing(page, form, { [field.column.name]: typedOf(page, field, value) });
    const place = stage.evidence.length;
    const sent = await stage.post(stage.address(key, "/edit"), actor, body, { key });
    if (sent.outcome !== "invalid" && sent.outcome !== "unchanged") return { sent, field, value, form, body };
    const isSetBack = sent.outcome === "unchanged" && field.column.setByTrigger === true;
    last = isSetBack ? "a trigger of the table set it back" : (sent.stopped ?? sent.outcome);
    stage.untouched(sent);
    // What was tried in vain is no evidence of anything.
    stage.evidence.splice(place, 1);
  }
  throw new NotJudged(`No other value of ${field.column.name} was taken: ${last}.`);
}

/** Opens a record and sends it with one field changed, to the likeliest of its other values: what comes of it is the caller's to judge. */
export async function changeOnce(
  stage: Stage,
  prepared: Prepared,
  { actor, record: { key, row }, field }: Change,
): Promise<Sent> {
  const { form } = await stage.form(stage.address(key, "/edit"), actor);
  const [value = ""] = otherValues(prepared, field, row);
  const body = typing(prepared.page, form, { [field.column.name]: typedOf(prepared.page, field, value) });
  return stage.post(stage.address(key, "/edit"), actor, body, { key });
}

/** Fields whose change is likeliest to go through by itself: plain ones before those that others depend on. */
export function easyFields(prepared: Prepared, row: Readonly<Record<string, Stored>>): readonly Field[] {
  const { page } = prepared;
  const asked = new Set(checksOf(page).flatMap(({ condition }) => condition.formColumns));
  const inEdit = new Set([...(page.access.edit?.rowColumns ?? []), ...(page.access.rows?.rowColumns ?? [])]);
  const isKey = new Set(page.key.map(({ name }) => name));
  const weight = ({ column, rules, control, choices }: Field): number =>
    (isKey.has(column.name) ? 8 : 0) +
    (inEdit.has(column.name) ? 8 : 0) +
    (choices?.from === "table" ? 4 : 0) +
    (asked.has(column.name) ? 2 : 0) +
    (rules.some(({ rule }) => rule === "unique") ? 2 : 0) +
    // A trigger may set it back.
    (column.setByTrigger ? 4 : 0) +
    (control === "text" || control === "multi-line" ? 0 : 1);
  return typedFields(page)
    .filter((field) => otherValues(prepared, field, row).length > 0)
    .toSorted((a, b) => weight(a) - weight(b));
}

/** Changes whichever field can be changed. @throws LeftOut, NotJudged */
async function changeAny(stage: Stage, prepared: Prepared, actor: Actor, record: RehearsedRecord): Promise<Changed> {
  const fields = easyFields(prepared, record.row);
  if (fields.length === 0) throw new LeftOut("The form has no field that a rehearsal could type into.");
  let last: unknown;
  for (const field of fields.slice(0, 4)) {
    try {
      return await change(stage, prepared, { actor, record, field });
    } catch (error) {
      if (!(error instanceof NotJudged)) throw error;
      last = error;
    }
  }
  throw last;
}

/** What can be typed into which record's form by whom. */
interface Typed {
  readonly field: Field;
  readonly value: string;
  readonly typed: string;
}

/** What was found out already: every case begins on the same rows. */
const found = new WeakMap<Prepared, Map<string, Typed | NotJudged>>();

/** Something to type into a form that the page takes, found out by trying and taken back. */
export async function somethingToType(
  stage: Stage,
  prepared: Prepared,
  actor: Actor,
  record: RehearsedRecord,
): Promise<Typed> {
  const known = found.get(prepared) ?? new Map<string, Typed | NotJudged>();
  found.set(prepared, known);
  const name = JSON.stringify([actor.id, record.key, record.row]);
  const before = known.get(name);
  if (before instanceof NotJudged) throw before;
  if (before) return before;
  try {
    const typed = await findToType(stage, prepared, actor, record);
    known.set(name, typed);
    return typed;
  } catch (error) {
    if (error instanceof NotJudged) known.set(name, error);
    throw error;
  }
}

async function findToType(stage: Stage, prepared: Prepared, actor: Actor, record: RehearsedRecord): Promise<Typed> {
  const place = stage.evidence.length;
  const changed = await stage.tried(() => changeAny(stage, prepared, actor, record));
  stage.evidence.splice(place);
  if (changed.sent.outcome !== "saved")
    throw new NotJudged(
      `A plain change is not saved: ${changed.sent.status} ${changed.sent.stopped ?? changed.sent.outcome}.`,
    );
  const { field, value } = changed;
  return { field, value, typed: typedOf(prepared.page, field, value) };
}

/** A form that was opened, with something typed into it, ready to be sent. */
interface TypedForm extends Typed {
  readonly actor: Actor;
  readonly record: RehearsedRecord;
  readonly path: string;
  readonly form: DocumentForm;
  readonly body: string;
}

/** Opens a record's form and types something that the page takes. */
export async function typedForm(
  stage: Stage,
  prepared: Prepared,
  record: RehearsedRecord = editing(prepared).record,
): Promise<TypedForm> {
  const { actor } = editing(prepared);
  const something = await somethingToType(stage, prepared, actor, record);
  const path = stage.address(record.key, "/edit");
  const { form } = await stage.form(path, actor);
  const body = typing(prepared.page, form, { [something.field.column.name]: something.typed });
  return { ...something, actor, record, path, form, body };
}

/** Lets the statement that writes fail with an error, before or after it was sent. */
export const failing =
  (error: DatabaseRefusal | DatabaseAway, when: "instead" | "afterwards", times = Number.POSITIVE_INFINITY) =>
  (database: Database): Database => {
    let left = times;
    const through = (inner: Database): Database => ({
      async run(statement) {
        if (!statement.writes || left <= 0) return inner.run(statement);
        left -= 1;
        if (when === "afterwards") await inner.run(statement);
        throw error;
      },
      transaction: (run) => inner.transaction((tx) => run(through(tx))),
    });
    return through(database);
  };

/** Runs something before the statement that writes is sent. */
export const beforeWriting =
  (happens: () => Promise<unknown>) =>
  (database: Database): Database => {
    let isDone = false;
    const through = (inner: Database): Database => ({
      async run(statement) {
        if (statement.writes && !isDone) {
          isDone = true;
          await happens();
        }
        return inner.run(statement);
      },
      transaction: (run) => inner.transaction((tx) => run(through(tx))),
    });
    return through(database);
  };
