import { type Actor, factsOf } from "@loyal-quill/core/condition/facts";
import { isTaken } from "@loyal-quill/core/page/columns";
import { tokenName } from "@loyal-quill/core/page/names";
import type { Field, Page } from "@loyal-quill/core/page/page";
import type { Row } from "@loyal-quill/core/postgres/statement";
import { mayEdit, mayMake } from "@loyal-quill/core/steps/access";
import { keptOutSaid } from "@loyal-quill/core/steps/refusal";
import { tableName } from "@loyal-quill/core/table/model";
import { byName } from "@loyal-quill/core/values/by-name";
import { bodyOf, type DocumentForm, encoded, withValue } from "../browser.js";
import { type Case, LeftOut, leaveOut, NotJudged } from "../case.js";
import { type Prepared, type RehearsedRecord, typedOf } from "../prepare.js";
import type { Stage } from "../stage.js";
import { type Sent, touchedInWords } from "../staging.js";
import { fieldSamples } from "./field-samples.js";
import { asTypedAgain, casesOf, editing, offered, typing } from "./making.js";
import { refusedBy } from "./refused-by.js";
import { sampleValues } from "./sample-values.js";

const [writing, checking, accessing, reading, answering] = [
  casesOf("write"),
  casesOf("check"),
  casesOf("access"),
  casesOf("read"),
  casesOf("answer"),
];

/** Who may make a record. @throws LeftOut */
function making({ page, maker }: Prepared): Actor {
  if (!page.access.new) throw new LeftOut("The page makes no new records.");
  if (!maker) throw new LeftOut("There is nobody who may make a new record.");
  return maker;
}

/** Columns in which no two records may have the same, or what overlaps. */
function distinct({ page }: Prepared): ReadonlySet<string> {
  const { keys, constraints } = page.table;
  return new Set([
    ...keys.flatMap(({ columns }) => columns),
    ...constraints.flatMap(({ kind, columns }) => (kind === "check" ? [] : columns)),
  ]);
}

/** A day so many years off, later and earlier in turns. */
function otherDay(value: string, turn: number): string {
  const moved = Number(value.slice(0, 4)) + (turn % 2 === 1 ? 7 : -7) * turn;
  const year = String(moved).padStart(4, "0");
  // Not every year has this one.
  return `${year}${value.slice(4)}`.replace("-02-29", "-02-28");
}

/** A number far from one that somebody has; where the rules take none of those, one that is near. */
function otherNumber(field: Field, value: string, turn: number): string {
  const own = Number.parseInt(value, 10);
  const far = String(own + 7001 * turn);
  if (refusedBy(field, far, far) === null) return far;
  const near = Array.from({ length: 100 }, (_, step) => String(own + (step % 2 === 0 ? 1 : -1) * ((step >> 1) + 1)));
  const taken = near.filter((each) => refusedBy(field, each, each) === null);
  return taken[(turn - 1) % taken.length] ?? far;
}

/** A text or number that nobody is likely to have yet, made of one that somebody has. */
function unlike(field: Field, value: string, turn: number): string {
  const { kind, maxLength } = field.column.type;
  if (kind === "integer" || kind === "decimal") return otherNumber(field, value, turn);
  if (kind === "uuid") return `${value.slice(0, -4)}${String(9000 + turn)}`;
  if (["date", "timestamp", "timestamptz"].includes(kind) && /^\d{4}-/.test(value)) return otherDay(value, turn);
  if (kind === "other" && /range$/.test(field.column.type.shown))
    return sampleValues(field.column)[(turn - 1) % 2] ?? value;
  if (kind !== "text") return value;
  const other = otherText(value, turn, maxLength);
  if (refusedBy(field, other, other) === null) return other;
  const samples = fieldSamples(field);
  return samples[(turn - 1) % samples.length] ?? other;
}

function otherText(value: string, turn: number, maxLength: number | null): string {
  if (/\d/.test(value))
    return value.replace(/\d+(?!.*\d)/, (digits) =>
      String(10 ** digits.length - 1 - 13 * turn)
        .slice(-digits.length)
        .padStart(digits.length, "0"),
    );
  const longer = `${value} ${turn}`.slice(0, maxLength ?? 200);
  // Where there is no room behind it, another sign stands at its end.
  return longer === value ? `${value.slice(0, -1)}${String.fromCharCode(64 + turn)}` : longer;
}

/** What can be chosen that no other record has chosen, where there is anything. */
function unlikeChoice(
  { rows }: Prepared,
  form: DocumentForm,
  field: Field,
  value: string,
  turn: number,
): string | null {
  const options = offered(form, field).filter((option) => option !== value);
  const taken = new Set(rows.map(({ row }) => row[field.column.name]));
  const free = options.filter((option) => !taken.has(option));
  const of = free.length > 0 ? free : options;
  return of[turn % of.length] ?? null;
}

/** The first that can be chosen in a field's list. */
const firstChoice = (form: DocumentForm, field: Field): string | null => offered(form, field)[0] ?? null;

/** What a field has to have is made of what its type takes, where the value of another record can't be typed into it. */
function sampleFor(page: Page, field: Field): string | null {
  const { nullable, default: given } = field.column;
  if (nullable || given !== null || field.choices !== null) return null;
  const typed = fieldSamples(field).map((value) => asTypedAgain(page, field, value));
  return typed.find((value) => value !== null) ?? null;
}

/** A row made of values that the columns' types take, in each of these fields. */
const fullOf = (fields: readonly Field[], form: DocumentForm): Row =>
  byName(
    Object.fromEntries(
      fields.map((field) => [
        field.column.name,
        field.choices === null ? (fieldSamples(field)[0] ?? null) : firstChoice(form, field),
      ]),
    ),
  );

/** The same with nothing where the table lets a column be empty. */
const emptyOf = (fields: readonly Field[], form: DocumentForm): Row =>
  fullOf(
    fields.filter(({ column }) => !column.nullable && column.default === null),
    form,
  );

/** Fills the form of a new record with what other records have, until the page takes it. @throws NotJudged */
async function make(
  stage: Stage,
  prepared: Prepared,
  likes: Prepared["rows"] = prepared.rows,
): Promise<{
  readonly sent: Sent;
  readonly body: string;
  readonly form: DocumentForm;
  readonly values: Readonly<Record<string, string>>;
}> {
  const actor = making(prepared);
  const { page } = prepared;
  const { form } = await stage.form(`${page.path.list}/new`, actor);
  const fields = page.fields.filter((field) => isTaken(field, "new") && field.control !== "file" && !field.hidden);
  const own = distinct(prepared);
  // Where there is none to make one like, it is made of what the types take.
  const models = likes.length > 0 ? likes.map(({ row }) => row) : [fullOf(fields, form), emptyOf(fields, form)];
  let last = "";
  for (let turn = 1; turn <= Math.min(10, models.length); turn++) {
    const like = models[(turn * 7) % models.length] as Row;
    const values = byName<string>();
    // One other choice makes another record of those that are known by several.
    const chosen = fields.findLast(({ column, choices }) => own.has(column.name) && choices !== null);
    for (const field of fields) {
      const { name } = field.column;
      const value = like[name] ?? null;
      const isOwn = value !== null && own.has(name);
      const choice = isOwn && field === chosen ? unlikeChoice(prepared, form, field, value, turn) : null;
      const other = choice ?? (isOwn && field.choices === null ? unlike(field, value, turn) : value);
      const read = other === null ? null : (asTypedAgain(page, field, other) ?? sampleFor(page, field));
      if (read !== null) values[name] = read;
    }
    const edits = Object.fromEntries(
      fields.map((field) => {
        const value = values[field.column.name];
        return [
          field.column.name,
          value === undefined ? (field.control === "check-box" ? "false" : "") : typedOf(page, field, value),
        ];
      }),
    );
    const body = typing(page, form, edits);
    const place = stage.evidence.length;
    const sent = await stage.post(`${page.path.list}/new`, actor, body);
    if (sent.outcome === "saved") return { sent, body, form, values };
    last = `${sent.status} ${sent.stopped ?? sent.outcome}`;
    // What a trigger lets in nowhere, whatever is sent, is no matter of this record.
    const isKeptOut = sent.refused === keptOutSaid;
    stage.expect(sent.status < 500 && !isKeptOut, `A new record is answered ${last}.`);
    if (sent.status >= 500 || isKeptOut) return { sent, body, form, values };
    stage.evidence.splice(place, 1);
  }
  throw new NotJudged(`No new record was taken: ${last}.`);
}

const oneAdded = (stage: Stage, prepared: Prepared, { touched }: Sent): void => {
  const own = (touched ?? []).find(({ table }) => table === tableName(prepared.page.table));
  stage.expect(
    touched === null || (own?.inserted === 1 && own.updated === 0 && own.deleted === 0),
    `One row was to be added; touched were: ${touchedInWords(touched ?? []) || "none"}.`,
  );
};

/** A new record that is made. */
function madeCases(prepared: Prepared): Case[] {
  const { page } = prepared;
  return [
    writing(
      "new.made",
      {
        title: "A new record",
        expects: "303; one row, as sent, and one entry of the log with all of it",
        by: "table: the row",
      },
      async (stage) => {
        const actor = making(prepared);
        const { sent, form, values } = await make(stage, prepared);
        stage.answered(sent, [303], "saved");
        oneAdded(stage, prepared, sent);
        const [entry] = sent.entries;
        const key = page.key.map(({ name }) => entry?.key[name] ?? "");
        const row = await stage.row(key);
        stage.expect(row !== null, "No record has the key that the log tells.");
        if (!row) return;
        const otherwise = new Map<string, string>();
        for (const [name, value] of Object.entries(values)) {
          const field = page.fields.find(({ column }) => column.name === name);
          // What is left as the form shows it is the table's to give.
          const isLeft =
            field && form.pairs.some((pair) => pair[0] === field.formName && pair[1] === typedOf(page, field, value));
          if (field?.tidy.length === 0 && row[name] !== value && !(isLeft && field.column.default !== null))
            otherwise.set(name, `${name} is stored as ${row[name] ?? "null"}, and ${value} was sent`);
        }
        stage.asTheTableHasIt({ key: null, values }, null, row, otherwise);
        stage.logged(sent.entries, "insert", { before: null, after: row }, actor);
        const opened = await stage.get(stage.address(key), actor);
        stage.answered(opened, [200, 404]);
      },
    ),
    writing(
      "new.defaults",
      { title: "What a new record leaves to the table", expects: "the table's own defaults", by: "table: defaults" },
      async (stage) => {
        making(prepared);
        const set = new Set(page.sets.map(({ column }) => column.name));
        const taken = new Set(page.fields.flatMap((field) => (isTaken(field, "new") ? [field.column.name] : [])));
        // A default that is the same at every time: a literal, perhaps with its type.
        const fixed = page.table.columns.flatMap((column) => {
          const [, text, plain] =
            /^(?:'((?:[^']|'')*)'(?:::.*)?|(-?[\d.]+|true|false))$/.exec(column.default ?? "") ?? [];
          const value = text?.replaceAll("''", "'") ?? plain;
          return value !== undefined && !taken.has(column.name) && !set.has(column.name)
            ? [{ name: column.name, value }]
            : [];
        });
        if (fixed.length === 0) leaveOut("No column off the form has a default that is always the same.");
        const { sent } = await make(stage, prepared);
        const row = await stage.row(page.key.map(({ name }) => sent.entries[0]?.key[name] ?? ""));
        for (const { name, value } of fixed)
          stage.expect(row?.[name] === value, `${name} is ${row?.[name] ?? "null"}; the table's default is ${value}.`);
      },
    ),
    writing(
      "new.twice",
      { title: "The form of a new record sent twice", expects: "one record, one entry", by: "RFC 9110, 9.2.2" },
      async (stage) => {
        const actor = making(prepared);
        const { body, sent } = await make(stage, prepared);
        stage.answered(sent, [303], "saved");
        const again = await stage.post(`${page.path.list}/new`, actor, body);
        stage.answered(again, [303]);
        stage.untouched(again);
      },
    ),
  ];
}

/** One that is refused: what it lacks, what is there already, who may not. */
function refusedCases(prepared: Prepared): Case[] {
  const { page, stranger } = prepared;
  return [
    checking(
      "new.empty",
      {
        title: "An empty form of a new record",
        expects: "422, a message at each field that has to have a value; nothing is written",
        by: "table: NOT NULL",
      },
      async (stage) => {
        const actor = making(prepared);
        const { form } = await stage.form(`${page.path.list}/new`, actor);
        const needed = page.fields.filter(
          ({ column, formName, rules, control, onNew, tidy, choices }) =>
            onNew &&
            column.default === null &&
            control !== "check-box" &&
            control !== "file" &&
            choices?.from !== "truth" &&
            tidy.every((each) => typeof each === "string") &&
            rules.some(({ rule, when }) => rule === "required" && when === null) &&
            // A domain may have a default of its own, which stands in the form.
            form.pairs.every(([name, value]) => name !== formName || value === ""),
        );
        if (needed.length === 0) leaveOut("No field has to have a value.");
        const names = new Set(page.fields.map(({ formName }) => formName));
        const body = bodyOf(form.pairs.map(([name, value]) => [name, names.has(name) ? "" : value]));
        const sent = await stage.post(`${page.path.list}/new`, actor, body);
        stage.answered(sent, [422], "invalid");
        stage.untouched(sent);
        if (sent.outcome === "invalid") for (const { formName } of needed) stage.saysAt(sent, formName);
      },
    ),
    checking(
      "new.taken",
      {
        title: "A new record with the key of another",
        expects: "422 with a message; nothing is written",
        by: "table: the key",
      },
      async (stage) => {
        const actor = making(prepared);
        const keys = page.key.map((column) =>
          page.fields.find((field) => field.column === column && isTaken(field, "new")),
        );
        if (keys.some((field) => field === undefined)) leaveOut("The table makes the key by itself.");
        const [other] = prepared.rows;
        if (!other) leaveOut("There is no other record.");
        const { body } = await stage.tried(() => make(stage, prepared));
        stage.evidence.splice(0);
        const taken = keys.reduce(
          (before, field) =>
            field
              ? withValue(before, field.formName, typedOf(page, field, other.row[field.column.name] ?? null))
              : before,
          body,
        );
        const sent = await stage.post(`${page.path.list}/new`, actor, taken, { key: other.key });
        stage.expect(sent.status === 422, `It is answered ${sent.status} (${sent.stopped ?? sent.outcome}).`);
        stage.untouched(sent);
      },
    ),
    accessing(
      "new.not-allowed",
      {
        title: "A new record by somebody who may not make one",
        expects: "403; nothing is written",
        by: "page file: access.new",
      },
      async (stage) => {
        if (!page.access.new) leaveOut("The page makes no new records.");
        const who =
          prepared.actor && prepared.maker?.id !== prepared.actor.id && !mayMakeToo(prepared, prepared.actor)
            ? prepared.actor
            : stranger;
        if (!who) leaveOut("Everybody may make new records.");
        stage.answered(await stage.get(`${page.path.list}/new`, who), [403], "refused");
        const made = prepared.maker ? await stage.tried(() => make(stage, prepared)).catch(() => null) : null;
        stage.evidence.splice(1);
        const sent = await stage.post(`${page.path.list}/new`, who, made?.body ?? "");
        stage.answered(sent, [403], "refused");
        stage.untouched(sent);
      },
    ),
  ];
}

/** One whose form is not what it was. */
function forgedCases(prepared: Prepared): Case[] {
  const { page } = prepared;
  return [
    reading(
      "new.no-token",
      {
        title: "The form of a new record without its token",
        expects: "refused; nothing is written",
        by: "the form's token",
      },
      async (stage) => {
        const actor = making(prepared);
        const { body } = await stage.tried(() => make(stage, prepared));
        stage.evidence.splice(0);
        const sent = await stage.post(`${page.path.list}/new`, actor, withValue(body, tokenName, null));
        stage.expect(sent.status >= 400 && sent.status < 500, `It is answered ${sent.status}.`);
        stage.untouched(sent);
      },
    ),
    reading(
      "new.extra",
      {
        title: "Columns that are not on the form of a new record, sent along",
        expects: "none of them is taken",
        by: "page file: fields; CWE-915",
      },
      async (stage) => {
        const actor = making(prepared);
        const taken = new Set(page.fields.flatMap((field) => (isTaken(field, "new") ? [field.column.name] : [])));
        const like = prepared.rows[0]?.row ?? {};
        const extra = page.table.columns.filter(
          ({ name, type: { kind }, sensitive }) => !taken.has(name) && !sensitive && kind === "text",
        );
        if (extra.length === 0) leaveOut("No text column of the table is off the form.");
        const { body } = await stage.tried(() => make(stage, prepared));
        stage.evidence.splice(0);
        const forged = "forged!";
        const sent = await stage.post(
          `${page.path.list}/new`,
          actor,
          `${body}&${encoded(extra.map(({ name, type }) => [name, forged.slice(0, type.maxLength ?? 7)]))}`,
        );
        stage.expect(sent.status < 500, `It is answered ${sent.status}.`);
        const row =
          sent.outcome === "saved"
            ? await stage.row(page.key.map(({ name }) => sent.entries[0]?.key[name] ?? ""))
            : null;
        for (const { name, type } of extra)
          stage.expect(
            !row || row[name] !== forged.slice(0, type.maxLength ?? 7),
            `${name} was taken from what was sent along (${like[name] ?? "null"} elsewhere).`,
          );
      },
    ),
    answering(
      "new.escapes-typed",
      { title: "Markup in a new record that is refused", expects: "shown as text", by: "CWE-79" },
      async (stage) => {
        const actor = making(prepared);
        const { form } = await stage.form(`${page.path.list}/new`, actor);
        const names = new Set(
          page.fields.flatMap((field) =>
            isTaken(field, "new") && field.choices === null && field.control !== "check-box" ? [field.formName] : [],
          ),
        );
        const typed = `"><quill-mark onclick=x>${"z".repeat(5000)}`;
        const sent = await stage.post(
          `${page.path.list}/new`,
          actor,
          bodyOf(form.pairs.map(([name, value]) => [name, names.has(name) ? typed : value])),
        );
        stage.expect(sent.status < 500, `It is answered ${sent.status} (${sent.stopped ?? sent.outcome}).`);
        stage.expect(sent.document.count("quill-mark") === 0, "Typed markup became an element of the page.");
      },
    ),
  ];
}

/** New records, each in the step that it is about. */
export const newCases = (prepared: Prepared): Case[] => [
  ...madeCases(prepared),
  ...refusedCases(prepared),
  ...forgedCases(prepared),
];

const mayMakeToo = ({ page, now }: Prepared, actor: Actor): boolean => mayMake(page, factsOf(actor, now));

/**
 * A record that nothing stands in the way of taking away: one that is there already, or one that is made for it.
 *
 * @throws NotJudged where there is none
 */
export async function disposable(stage: Stage, prepared: Prepared): Promise<RehearsedRecord> {
  editing(prepared);
  let last: unknown = new NotJudged("No record could be taken away.");
  for (const record of prepared.editable.slice(0, 4)) {
    try {
      await stage.tried(() => stage.remove(record.key));
      return record;
    } catch (error) {
      if (!(error instanceof NotJudged)) throw error;
      last = error;
    }
  }
  if (!prepared.maker) throw last;
  const made = await madeRecord(stage, prepared);
  const { actor } = editing(prepared);
  if (!made || !mayEdit(prepared.page, made.row, factsOf(actor, prepared.now))) throw last;
  return made;
}

/** A record that is made for this case only. */
export async function madeRecord(
  stage: Stage,
  prepared: Prepared,
  like?: Prepared["rows"],
): Promise<RehearsedRecord | null> {
  const place = stage.evidence.length;
  const { sent } = await make(stage, prepared, like);
  stage.evidence.splice(place);
  const key = prepared.page.key.map(({ name }) => sent.entries[0]?.key[name] ?? "");
  const row = await stage.row(key);
  return row && { key, row };
}
