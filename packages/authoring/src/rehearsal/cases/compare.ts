import type { Field } from "@loyal-quill/core/page/page";
import { told } from "@loyal-quill/core/views/told";
import { typedText } from "@loyal-quill/core/views/typed";
import { type Case, LeftOut, leaveOut, NotJudged } from "../case.js";
import type { Prepared } from "../prepare.js";
import type { Stage } from "../stage.js";
import type { Sent } from "../staging.js";
import { checksOf } from "./checks-of.js";
import { shownIn } from "./load.js";
import { casesOf, easyFields, editing, otherValues, somethingToType, typedForm, typing } from "./making.js";
import { disposable } from "./records.js";

const make = casesOf("compare");

interface Meanwhile {
  readonly key: readonly string[];
  readonly field: Field;
  /** Values that will not do. */
  readonly except?: readonly string[];
}

/** A value that somebody else may have put into a field meanwhile: the first that the table takes. */
async function putAnother(stage: Stage, prepared: Prepared, { key, field, except = [] }: Meanwhile): Promise<string> {
  const { record } = editing(prepared);
  const candidates = otherValues(prepared, field, record.row).filter((value) => !except.includes(value));
  for (const value of candidates) {
    try {
      await stage.put(key, { [field.column.name]: value });
      return value;
    } catch (error) {
      if (!(error instanceof NotJudged)) throw error;
    }
  }
  throw new NotJudged(`No other value could be put into ${field.column.name}.`);
}

/** Opens a record and types something; then `meanwhile` happens, and the form is sent. */
async function whileTyping(
  stage: Stage,
  prepared: Prepared,
  meanwhile: (typing: {
    readonly field: Field;
    readonly value: string;
    readonly key: readonly string[];
  }) => Promise<void>,
): Promise<{ readonly sent: Sent; readonly field: Field; readonly value: string; readonly typed: string }> {
  const { actor, record } = editing(prepared);
  const { field, value, typed } = await somethingToType(stage, prepared, actor, record);
  const { form } = await stage.form(stage.address(record.key, "/edit"), actor);
  await meanwhile({ field, value, key: record.key });
  const sent = await stage.post(
    stage.address(record.key, "/edit"),
    actor,
    typing(prepared.page, form, { [field.column.name]: typed }),
    { key: record.key },
  );
  return { sent, field, value, typed };
}

/** Compare: what was shown, what is stored now, and what was sent. */
export function compareCases(prepared: Prepared): Case[] {
  const { page } = prepared;
  return [
    make(
      "compare.same-field",
      {
        title: "Somebody else changed the same field meanwhile, to another value",
        expects: "409, both values on the form; nothing is written",
        by: "shown, stored and submitted differ; RFC 9110, 15.5.10",
      },
      async (stage) => {
        let theirs = "";
        const { sent, field, typed } = await whileTyping(stage, prepared, async ({ field, value, key }) => {
          theirs = await putAnother(stage, prepared, { key, field, except: [value] });
        });
        stage.answered(sent, [409], "conflict");
        stage.untouched(sent);
        const shown = sent.document.form && shownIn(sent.document.form, field);
        if (shown && field.tidy.length === 0 && field.control !== "check-box" && sent.outcome === "conflict")
          stage.expect(shown === typed.replaceAll("\n", "\r\n"), `What was typed is gone: the control holds ${shown}.`);
        if (field.choices === null && field.control !== "check-box" && theirs.length > 1)
          stage.expect(
            sent.document.text.includes(told(page, field.column, theirs) ?? ""),
            "The other's value is not told.",
          );
      },
    ),
    make(
      "compare.other-field",
      {
        title: "Somebody else changed another field meanwhile",
        expects: "saved, and the other's change is kept",
        by: "different fields merge",
      },
      async (stage) => {
        const { record, actor } = editing(prepared);
        const asked = new Set(checksOf(page).flatMap(({ condition }) => condition.formColumns));
        let theirs: { name: string; value: string } | undefined;
        const { sent, field, value } = await whileTyping(stage, prepared, async ({ field, key }) => {
          const access = [...(page.access.edit?.rowColumns ?? []), ...(page.access.rows?.rowColumns ?? [])];
          // Two changes that are right by themselves may together be what a constraint over both fields refuses.
          const together = [...page.table.constraints, ...page.table.keys].filter(({ columns }) =>
            columns.includes(field.column.name),
          );
          const others = easyFields(prepared, record.row).filter(
            ({ column }) =>
              column !== field.column &&
              !together.some(({ columns }) => columns.includes(column.name)) &&
              !access.includes(column.name) &&
              !asked.has(column.name) &&
              !page.key.includes(column),
          );
          for (const other of others) {
            try {
              theirs = { name: other.column.name, value: await putAnother(stage, prepared, { key, field: other }) };
              const now = (await stage.row(key))?.[field.column.name];
              if (now !== record.row[field.column.name])
                throw new NotJudged(`The table changes ${field.column.name} along with ${other.column.name}.`);
              return;
            } catch (error) {
              if (!(error instanceof NotJudged)) throw error;
            }
          }
          throw others.length === 0
            ? new LeftOut("There is no second field to change.")
            : new NotJudged("No second field could be changed underneath.");
        });
        stage.wrote(sent, { [field.column.name]: value }, actor);
        if (theirs)
          stage.expect(
            sent.after?.[theirs.name] === theirs.value,
            `${theirs.name} was set back to ${sent.after?.[theirs.name] ?? "null"}.`,
          );
      },
    ),
    make(
      "compare.same-change",
      {
        title: "Somebody else made the same change meanwhile",
        expects: "nothing is left to write: no conflict, no second entry",
        by: "the same change by somebody else is none",
      },
      async (stage) => {
        const { sent } = await whileTyping(stage, prepared, async ({ field, value, key }) => {
          await stage.put(key, { [field.column.name]: value });
        });
        stage.answered(sent, [303], "unchanged");
        stage.untouched(sent);
      },
    ),
    make(
      "compare.deleted",
      {
        title: "The record was deleted meanwhile",
        expects: "404, what was typed is kept to be copied; nothing is written",
        by: "RFC 9110, 15.5.5",
      },
      async (stage) => {
        const { actor } = editing(prepared);
        const { key, row } = await disposable(stage, prepared);
        const { field, typed } = await somethingToType(stage, prepared, actor, { key, row });
        const { form } = await stage.form(stage.address(key, "/edit"), actor);
        await stage.remove(key);
        const sent = await stage.post(
          stage.address(key, "/edit"),
          actor,
          typing(page, form, { [field.column.name]: typed }),
          { key },
        );
        stage.answered(sent, [404], "not-found");
        stage.expect(
          (sent.touched ?? []).length === 0 && sent.entries.length === 0 && sent.after === null,
          "Something was written.",
        );
        if (typed.length > 3 && field.choices === null && field.tidy.length === 0)
          stage.expect(
            // A moment is told with a space, also where its control is plain text and it was typed with a T; a box by yes or no, a range by its ends.
            [
              typed,
              typed.replace("T", " "),
              told(page, field.column, typed) ?? typed,
              typedText(field, typed, page.language),
            ].some((text) => sent.document.text.includes(text)) ||
              sent.document.forms.some(({ controls }) => controls.some(({ value }) => value === typed)),
            "What was typed is gone.",
          );
      },
    ),
    make(
      "compare.twice",
      {
        title: "The same form sent twice",
        expects: "the second time nothing is written: no conflict with oneself",
        by: "RFC 9110, 9.2.2",
      },
      async (stage) => {
        if (page.routine) leaveOut("What the page's routine makes of a value is its own matter.");
        const { actor, record } = editing(prepared);
        const { field, value, typed } = await somethingToType(stage, prepared, actor, record);
        const { form } = await stage.form(stage.address(record.key, "/edit"), actor);
        const body = typing(page, form, { [field.column.name]: typed });
        const first = await stage.post(stage.address(record.key, "/edit"), actor, body, { key: record.key });
        stage.answered(first, [303], "saved");
        if (page.key.includes(field.column)) leaveOut("The key itself was changed.");
        if (first.after?.[field.column.name] !== value) throw new NotJudged("The table makes another value of it.");
        const second = await stage.post(stage.address(record.key, "/edit"), actor, body, { key: record.key });
        stage.answered(second, [303], "unchanged");
        stage.untouched(second);
      },
    ),
    make(
      "compare.too-old",
      {
        title: "A form that is older than forms may be",
        expects: "shown again to be looked at; nothing is written",
        by: "the form's token",
      },
      async (stage) => {
        const { path, body, record, actor } = await typedForm(stage, prepared);
        const sent = await stage.post(path, actor, body, {
          key: record.key,
          at: new Date(stage.world.now().getTime() + 3 * 86_400_000),
        });
        stage.answered(sent, [422], "invalid");
        stage.untouched(sent);
      },
    ),
  ];
}
