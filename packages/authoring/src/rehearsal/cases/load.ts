import { controlKind } from "@loyal-quill/core/controls/index";
import type { Field } from "@loyal-quill/core/page/page";
import type { Row, Stored } from "@loyal-quill/core/postgres/statement";
import { recordAddress } from "@loyal-quill/core/settings/bound/path";
import type { Column } from "@loyal-quill/core/table/model";
import type { DocumentForm } from "../browser.js";
import { type Case, leaveOut, NotJudged } from "../case.js";
import { type Prepared, type RehearsedRecord, typedOf } from "../prepare.js";
import type { Stage } from "../stage.js";
import { casesOf, editing, typedFields, typing } from "./making.js";

const [load, prefill] = [casesOf("load"), casesOf("prefill")];

/** Sends a form as it came: nothing may be written by that. */
async function sendUntouched(
  stage: Stage,
  prepared: Prepared,
  key: readonly string[],
  form: DocumentForm,
): Promise<void> {
  const { actor } = editing(prepared);
  const path = stage.address(key, "/edit");
  const sent = await stage.post(path, actor, typing(prepared.page, form, {}), { key });
  stage.answered(sent, [303], "unchanged");
  stage.untouched(sent);
}

/** What stands in a field's control. */
export const shownIn = (form: DocumentForm, field: Field): string | null => {
  const own = form.controls.filter(({ name }) => name === field.formName);
  const { joined } = controlKind(field.control);
  if (joined && own.length > 1) return joined(own.map(({ value }) => value ?? ""));
  return own.find(({ value }) => value !== null)?.value ?? (own.length > 0 ? "" : null);
};

const asTyped = (text: string): string => text.replaceAll(/\r\n?|\n/g, "\r\n");

/** Text columns of the form in which any text may stand, as far as the table's own conditions are concerned. */
const freeTexts = ({ page }: Prepared): readonly Field[] =>
  typedFields(page).filter(
    ({ column, choices }) =>
      column.type.kind === "text" &&
      choices === null &&
      !page.key.includes(column) &&
      column.granted.update &&
      column.written === "freely",
  );

const fitted = ({ type: { maxLength } }: Column, text: string): string =>
  maxLength === null ? text : [...text].slice(0, maxLength).join("");

/**
 * Puts a text into each free text column of a record, and holds the form against it: the control has it whole, and sent untouched it
 * stays as it is.
 */
async function holdsText(stage: Stage, prepared: Prepared, text: string | ((column: Column) => string)): Promise<void> {
  const { page } = prepared;
  const { actor, record } = editing(prepared);
  const fields = freeTexts(prepared);
  if (fields.length === 0) leaveOut("The form has no text that is free.");
  const put: Field[] = [];
  const because: string[] = [];
  for (const field of fields) {
    const value = fitted(field.column, typeof text === "string" ? text : text(field.column));
    try {
      await stage.put(record.key, { [field.column.name]: value });
      put.push(field);
    } catch (error) {
      if (!(error instanceof NotJudged)) throw error;
      because.push(error.message);
    }
  }
  // What no column of the table can hold, no page has to show.
  if (put.length === 0) leaveOut(`No column of the table holds such a text: ${because[0] ?? ""}`);
  const row = (await stage.row(record.key)) as Row;
  const { sent, form } = await stage.form(stage.address(record.key, "/edit"), actor);
  for (const field of put) {
    const stored = row[field.column.name] ?? "";
    const shown = shownIn(form, field);
    stage.expect(
      shown === asTyped(typedOf(page, field, stored)),
      `The control of ${field.column.name} holds ${JSON.stringify(shown)}, stored is ${JSON.stringify(stored)}.`,
    );
  }
  stage.expect(sent.document.count("quill-mark") === 0, "Markup from a stored value became an element of the page.");
  stage.expect(
    sent.document.handlers.length === 0,
    `Stored text became a handler: ${sent.document.handlers.join(", ")}.`,
  );
  await sendUntouched(stage, prepared, record.key, form);
  const view = await stage.get(stage.address(record.key), actor);
  stage.expect(
    view.document.count("quill-mark") === 0,
    "Markup from a stored value became an element of the record's view.",
  );
}

export const markup = `"'><quill-mark onclick=alert(1)>&amp;</textarea></select><quill-mark>`;

/** Values at the ends of a type, that a control must be able to hold. */
const ends: Readonly<Partial<Record<Column["type"]["kind"], readonly string[]>>> = {
  date: ["0001-01-01", "2024-02-29", "9999-12-31"],
  time: ["00:00:00", "23:59:59.999999"],
  timestamp: ["2024-02-29 23:59:59.123456", "1999-12-31 00:00:00"],
  timestamptz: [
    "2026-03-29 00:59:59+00",
    "2026-03-29 01:00:00+00",
    "2026-10-25 00:30:00+00",
    "2026-10-25 01:30:00+00",
    "1968-07-01 12:00:00.5+00",
  ],
  float: ["0", "-0.1", "1e+20", "0.30000000000000004"],
  json: ['{"a": [1, 2.50, null, "é"], "b": {}}'],
};

/** Puts each value into the column, opens, and sends untouched. */
async function holdsValues(stage: Stage, prepared: Prepared, field: Field, stored: readonly Stored[]): Promise<void> {
  const { actor, record } = editing(prepared);
  const { name } = field.column;
  let held = 0;
  let because = "";
  for (const value of stored) {
    try {
      await stage.put(record.key, { [name]: value });
    } catch (error) {
      if (!(error instanceof NotJudged)) throw error;
      because = error.message;
      continue;
    }
    held += 1;
    const { form } = await stage.form(stage.address(record.key, "/edit"), actor);
    await sendUntouched(stage, prepared, record.key, form);
  }
  if (held === 0) leaveOut(`The column holds none of them: ${because}`);
}

function untouchedCase(prepared: Prepared, records: readonly RehearsedRecord[], slow: boolean): Case {
  const told = {
    title: slow
      ? `The other ${records.length} records that were looked at, opened and sent untouched`
      : `${records.length} ${records.length === 1 ? "record" : "records"}, opened and sent untouched`,
    expects: "nothing is written, not even an entry of the log",
    by: "untouched means untouched",
    ...(slow ? { slow: true as const } : {}),
  };
  return prefill(slow ? "prefill.untouched-all" : "prefill.untouched", told, async (stage) => {
    const { actor } = editing(prepared);
    for (const { key } of records) {
      const { form } = await stage.form(stage.address(key, "/edit"), actor);
      await sendUntouched(stage, prepared, key, form);
    }
  });
}

/** Load: whatever the table may hold is found and told whole. */
export function loadCases(prepared: Prepared): Case[] {
  const { page } = prepared;
  const nullable = typedFields(page).filter(
    ({ column }) => column.nullable && column.granted.update && column.written === "freely",
  );
  return [
    load(
      "load.as-stored",
      { title: "A record's form beside its row", expects: "each control holds what is stored", by: "table: the row" },
      async (stage) => {
        const { actor, record } = editing(prepared);
        const { sent, form } = await stage.form(stage.address(record.key, "/edit"), actor);
        stage.answered(sent, [200], "shown");
        const row = (await stage.row(record.key)) as Row;
        for (const field of typedFields(page)) {
          const shown = shownIn(form, field);
          const wanted = typedOf(page, field, row[field.column.name] ?? null);
          stage.expect(shown !== null, `The form has no control for ${field.column.name}.`);
          if (shown === null || field.control === "check-box") continue;
          stage.expect(
            shown === asTyped(wanted),
            `The control of ${field.column.name} holds ${JSON.stringify(shown)}; stored is ${JSON.stringify(row[field.column.name])}.`,
          );
        }
      },
    ),
    load(
      "load.nulls",
      {
        title: "A record with no value wherever the table allows it",
        expects: "the form is shown; sent untouched, nothing is written",
        by: "table: NOT NULL",
      },
      async (stage) => {
        if (nullable.length === 0) leaveOut("Every field has to have a value.");
        const { actor, record } = editing(prepared);
        let put = 0;
        for (const { column } of nullable) {
          try {
            await stage.put(record.key, { [column.name]: null });
            put += 1;
          } catch (error) {
            if (!(error instanceof NotJudged)) throw error;
          }
        }
        if (put === 0) leaveOut("The table lets none of them be empty.");
        const opened = await stage.get(stage.address(record.key, "/edit"), actor);
        if (!opened.document.form)
          throw new NotJudged(
            `A record without these values is not the person's to edit: ${opened.stopped ?? opened.outcome}.`,
          );
        stage.answered(opened, [200], "shown");
        await sendUntouched(stage, prepared, record.key, opened.document.form);
      },
    ),
    load(
      "load.longest",
      {
        title: "Texts as long as the table takes them, up to 10,000 characters",
        expects: "the form has them whole; sent untouched, nothing is written",
        by: "table: lengths",
      },
      (stage) =>
        holdsText(stage, prepared, ({ type }) =>
          "Long "
            .repeat(2000)
            .slice(0, type.maxLength ?? 10_000)
            .trimEnd(),
        ),
    ),
    load(
      "load.markup",
      { title: "Markup in every free text", expects: "shown as text, everywhere", by: "HTML, 13.1.2; CWE-79" },
      (stage) => holdsText(stage, prepared, markup),
    ),
    load(
      "load.right-to-left",
      {
        title: "Arabic, Hebrew, emoji and combining marks in every free text",
        expects: "the form has them whole",
        by: "Unicode, 3.13",
      },
      (stage) =>
        holdsText(stage, prepared, "\u0645\u062d\u0637\u0629 \u05ea\u05d7\u05e0\u05d4 \u{1F30A} e\u0301 \u202Bx\u202C"),
    ),
    load(
      "load.white-space",
      {
        title: "White space before, within and behind every free text",
        expects: "sent untouched, nothing is written",
        by: "untouched means untouched",
      },
      (stage) => holdsText(stage, prepared, "  two  spaces\t and a tab  "),
    ),
    load(
      "load.line-breaks",
      {
        title: "A line break at the beginning, and both kinds within",
        expects: "sent untouched, nothing is written",
        by: "HTML, 4.10.11 and 4.10.21.4",
      },
      (stage) => holdsText(stage, prepared, "\nfirst\nsecond\r\nthird\n"),
    ),
    ...typedFields(page).flatMap((field) => {
      const values = ends[field.column.type.kind];
      if (
        !values ||
        !field.column.granted.update ||
        field.column.written !== "freely" ||
        page.key.includes(field.column)
      )
        return [];
      return [
        load(
          "load.ends-of-type",
          {
            title: `${field.label}: values at the ends of ${field.column.type.shown}`,
            expects: "sent untouched, nothing is written",
            by: "untouched means untouched",
          },
          (stage) => holdsValues(stage, prepared, field, values),
          field.column.name,
        ),
      ];
    }),
  ];
}

/** Prefill: the form as it is shown, sent back as it is, is no change. */
export function prefillCases(prepared: Prepared): Case[] {
  const { page, editable } = prepared;
  const few = editable.slice(0, 5);
  const rest = editable.slice(5, 105);
  const fields = typedFields(page);
  return [
    ...(few.length > 0 ? [untouchedCase(prepared, few, false)] : []),
    ...(rest.length > 0 ? [untouchedCase(prepared, rest, true)] : []),
    prefill(
      "prefill.controls",
      {
        title: "Every field of the page has a control with a name",
        expects: "each is there, and has a label",
        by: "WCAG 2.2, 1.3.1 and 4.1.2",
      },
      async (stage) => {
        const { actor, record } = editing(prepared);
        const { form, sent } = await stage.form(stage.address(record.key, "/edit"), actor);
        for (const { column, formName, label } of fields) {
          const own = form.controls.filter(({ name }) => name === formName);
          stage.expect(own.length > 0, `There is no control for ${column.name}.`);
          stage.expect(
            own.every(({ labelled }) => labelled),
            `The control of ${column.name} has no label.`,
          );
          stage.expect(sent.document.text.includes(label), `${label} is not to be read.`);
        }
        for (const { column, formName, readOnly } of page.fields)
          if (readOnly)
            stage.expect(
              !form.controls.some(({ name }) => name === formName),
              `${column.name} is read-only and has a control.`,
            );
      },
    ),
    prefill(
      "prefill.choices",
      {
        title: "What is stored is chosen in each list",
        expects: "the chosen option is the stored value",
        by: "table: the row",
      },
      async (stage) => {
        const lists = fields.filter(({ control }) => control === "choice" || control === "radio");
        if (lists.length === 0) leaveOut("The form has no list of choices.");
        const { actor } = editing(prepared);
        for (const { key, row } of editable.slice(0, 3)) {
          const { form } = await stage.form(stage.address(key, "/edit"), actor);
          for (const field of lists)
            stage.expect(
              (shownIn(form, field) ?? "") === asTyped(row[field.column.name] ?? ""),
              `${field.column.name} of ${recordAddress(page.path, key)} shows ${shownIn(form, field) ?? "nothing"}; stored is ${row[field.column.name] ?? "null"}.`,
            );
        }
      },
    ),
    prefill(
      "prefill.ticks",
      {
        title: "Each box, ticked and not",
        expects: "ticked as stored; sent untouched, nothing is written",
        by: "HTML, 4.10.5.1.15",
      },
      async (stage) => {
        const boxes = fields.filter(({ control }) => control === "check-box");
        if (boxes.length === 0) leaveOut("The form has no box to tick.");
        const { actor, record } = editing(prepared);
        let because = "";
        let held = 0;
        for (const field of boxes) {
          for (const value of ["true", "false"]) {
            try {
              await stage.put(record.key, { [field.column.name]: value });
            } catch (error) {
              if (!(error instanceof NotJudged)) throw error;
              because = error.message;
              continue;
            }
            const opened = await stage.get(stage.address(record.key, "/edit"), actor);
            const { form } = opened.document;
            if (!form) continue;
            held += 1;
            const ticked = form.pairs.some(([name]) => name === field.formName);
            stage.expect(
              ticked === (value === "true"),
              `${field.column.name} is ${value} and its box is ${ticked ? "" : "not "}ticked.`,
            );
            await sendUntouched(stage, prepared, record.key, form);
          }
        }
        if (held === 0) throw new NotJudged(because);
      },
    ),
    prefill(
      "prefill.hidden",
      {
        title: "Sensitive fields",
        expects: "their controls are empty, and no answer holds the value",
        by: "page file: sensitive",
      },
      async (stage) => {
        const hidden = page.table.columns.filter(({ sensitive }) => sensitive);
        if (hidden.length === 0) leaveOut("No column of the table is sensitive.");
        const { actor, record } = editing(prepared);
        const row = (await stage.row(record.key)) as Row;
        for (const path of [stage.address(record.key, "/edit"), stage.address(record.key), page.path.list]) {
          const sent = await stage.get(path, actor);
          for (const { name } of hidden) {
            const value = row[name];
            if (value && value.length > 3)
              stage.expect(!sent.answer.includes(value), `${path} tells the value of ${name}.`);
          }
        }
      },
    ),
  ];
}
