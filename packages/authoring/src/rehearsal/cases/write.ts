import type { Field } from "@loyal-quill/core/page/page";
import { DatabaseAway } from "@loyal-quill/core/postgres/statement";
import { recordAddress } from "@loyal-quill/core/settings/bound/path";
import { readPairs } from "@loyal-quill/core/steps/read-pairs";
import { byName } from "@loyal-quill/core/values/by-name";
import { type Case, leaveOut, NotJudged } from "../case.js";
import { type Prepared, typedOf } from "../prepare.js";
import type { Stage } from "../stage.js";
import type { Asking, Sent } from "../staging.js";
import { readOnlyStatement } from "../statements.js";
import { checksOf } from "./checks-of.js";
import { faults } from "./faults.js";
import { shownIn } from "./load.js";
import {
  beforeWriting,
  casesOf,
  change,
  changeOnce,
  easyFields,
  editing,
  failing,
  typedFields,
  typedForm,
  typing,
} from "./making.js";
import { disposable } from "./records.js";

const [make, answer] = [casesOf("write"), casesOf("answer")];

/** Opens a record, types something and sends it, while the database does not do as usual. */
async function saving(
  stage: Stage,
  prepared: Prepared,
  through: Asking["through"],
): Promise<{ sent: Sent; name: string; value: string; typed: string }> {
  const { path, actor, record, body, field, typed, value } = await typedForm(stage, prepared);
  const sent = await stage.post(path, actor, body, { key: record.key, ...(through ? { through } : {}) });
  return { sent, name: field.column.name, value, typed };
}

/** The form comes back with what was typed. */
function keepsTyped(
  stage: Stage,
  prepared: Prepared,
  sent: Sent,
  { name, typed }: { readonly name: string; readonly typed: string },
): void {
  const field = prepared.page.fields.find(({ column }) => column.name === name);
  if (!field || field.control === "check-box" || field.tidy.length > 0) return;
  const held = sent.document.form && shownIn(sent.document.form, field);
  stage.expect(held === typed.replaceAll("\n", "\r\n"), `What was typed into ${name} is gone.`);
}

function queryOf(text: string): Readonly<Record<string, string>> {
  const pairs = readPairs(text);
  return typeof pairs === "string" ? {} : Object.fromEntries(pairs);
}

/** Write: one row, what was sent, one entry; and whatever the database says instead, nothing half done. */
export function writeCases(prepared: Prepared): Case[] {
  const { page } = prepared;
  return [
    make(
      "write.some-field",
      { title: "Some field can be changed", expects: "the table does not refuse every change", by: "PostgreSQL, 43.9" },
      async (stage) => {
        const { actor, record } = editing(prepared);
        const fields = easyFields(prepared, record.row);
        if (fields.length === 0) leaveOut("The form has no field that a rehearsal could type into.");
        let said: string | null = null;
        for (const field of fields) {
          const sent = await stage.tried(() => changeOnce(stage, prepared, { actor, record, field }));
          if (sent.outcome === "saved") return;
          // What the table says in words of its own is no constraint that the page knows, nor one that another value would meet.
          const own = sent.refused?.replace(/^\w{5} /, "");
          if (own && sent.stopped?.includes(own)) said = own;
        }
        if (said === null) throw new NotJudged("None of the values that were at hand is taken.");
        stage.expect(false, `The table refuses each change that was tried: ${said}.`);
      },
    ),
    ...typedFields(page).map((field) =>
      make(
        "write.one-field",
        {
          title: `${field.label} alone is changed`,
          expects: "303; one row, this column and no other, and one entry of the log that says so",
          by: "table: the row before and after",
        },
        async (stage) => {
          const { actor, record: own } = editing(prepared);
          const changed = await change(stage, prepared, { actor, record: own, field });
          if (changed.sent.outcome !== "saved" && !changed.sent.before)
            throw new NotJudged(changed.sent.stopped ?? changed.sent.outcome);
          if (page.key.includes(field.column)) {
            // The record has another address now.
            stage.answered(changed.sent, [303], "saved");
            const key = page.key.map(({ name }, index) =>
              name === field.column.name ? changed.value : (own.key[index] ?? ""),
            );
            const after = await stage.row(key);
            stage.expect(after !== null, "No record has the new key.");
            if (after) stage.logged(changed.sent.entries, "update", { before: changed.sent.before, after }, actor);
            return;
          }
          stage.wrote(changed.sent, { [field.column.name]: changed.value }, actor);
        },
        field.column.name,
      ),
    ),
    make(
      "write.several-fields",
      {
        title: "Several fields are changed at once",
        expects: "303; one row and one entry of the log, with just these",
        by: "table: the row before and after",
      },
      async (stage) => {
        const { actor, record: own } = editing(prepared);
        const asked = new Set(checksOf(page).flatMap(({ condition }) => condition.formColumns));
        const fields = easyFields(prepared, own.row).filter(
          ({ column }) => !page.key.includes(column) && !asked.has(column.name),
        );
        const taken = byName<string>();
        const isBound = ({ column }: Field): boolean =>
          page.table.constraints.some(
            ({ columns }) => columns.includes(column.name) && columns.some((name) => taken[name] !== undefined),
          );
        for (const field of fields.slice(0, 6)) {
          if (isBound(field)) continue;
          const place = stage.evidence.length;
          const tried = await stage
            .tried(() => change(stage, prepared, { actor, record: own, field }))
            .catch((error: unknown) => {
              if (error instanceof NotJudged) return null;
              throw error;
            });
          stage.evidence.splice(place);
          if (tried?.sent.outcome === "saved") taken[field.column.name] = tried.value;
          if (Object.keys(taken).length === 3) break;
        }
        if (Object.keys(taken).length < 2) leaveOut("The form has no two fields that can be changed independently.");
        const { form } = await stage.form(stage.address(own.key, "/edit"), actor);
        const typed = Object.fromEntries(
          Object.entries(taken).map(([name, value]) => {
            const field = page.fields.find(({ column }) => column.name === name);
            return [name, field ? typedOf(page, field, value) : value];
          }),
        );
        const sent = await stage.post(stage.address(own.key, "/edit"), actor, typing(page, form, typed), {
          key: own.key,
        });
        if (sent.outcome === "invalid") throw new NotJudged(`Together they are refused: ${sent.stopped}.`);
        stage.wrote(sent, taken, actor);
      },
    ),
    make(
      "write.sql-in-a-value",
      { title: "SQL in a text", expects: "stored as it was typed", by: "CWE-89" },
      async (stage) => {
        const { actor, record: own } = editing(prepared);
        const field = typedFields(page).find(
          ({ column, choices, rules, tidy }) =>
            column.type.kind === "text" &&
            !column.setByTrigger &&
            choices === null &&
            tidy.length === 0 &&
            !page.key.includes(column) &&
            rules.every(({ rule }) => /^(required|max-length)$/.test(rule)),
        );
        if (!field) leaveOut("The form has no text in which anything may stand.");
        const value = "'; DROP TABLE x; --".slice(0, field.column.type.maxLength ?? 40);
        const { form } = await stage.form(stage.address(own.key, "/edit"), actor);
        const sent = await stage.post(
          stage.address(own.key, "/edit"),
          actor,
          typing(page, form, { [field.column.name]: value }),
          { key: own.key },
        );
        if (sent.outcome === "invalid")
          throw new NotJudged(`The page or the table takes no such text: ${sent.stopped}.`);
        stage.wrote(sent, { [field.column.name]: value }, actor);
      },
    ),
    ...faults(prepared).map(({ kind, title, error, statuses, expects, by }) =>
      make(kind, { title, expects, by }, async (stage) => {
        stage.note("The database's answer to the statement that writes is replaced by this error.");
        const { sent, name, typed } = await saving(stage, prepared, failing(error, "instead"));
        stage.answered(sent, statuses);
        stage.untouched(sent);
        keepsTyped(stage, prepared, sent, { name, typed });
      }),
    ),
    make(
      "write.answer-lost",
      {
        title: "The connection is lost after the statement was sent, and it was carried out",
        expects: "found in the log: told as saved, once",
        by: "the change log",
      },
      async (stage) => {
        if (page.routine) leaveOut("The page saves through a routine, in a transaction of several statements.");
        stage.note("The statement is carried out, and its answer replaced by a lost connection.");
        const { sent, name, value } = await saving(
          stage,
          prepared,
          failing(new DatabaseAway("connection lost", true), "afterwards", 1),
        );
        const { actor } = editing(prepared);
        stage.wrote(sent, { [name]: value }, actor);
      },
    ),
    make(
      "write.row-gone",
      {
        title: "The row is taken away in the moment before it is written",
        expects: "404; nothing is written",
        by: "RFC 9110, 15.5.5",
      },
      async (stage) => {
        const { key, row } = await disposable(stage, prepared);
        const { path, actor, body } = await typedForm(stage, prepared, { key, row });
        const sent = await stage.post(path, actor, body, { key, through: beforeWriting(() => stage.remove(key)) });
        stage.answered(sent, [404], "not-found");
        stage.expect(sent.entries.length === 0, "The log has an entry of it.");
      },
    ),
    make(
      "write.read-only",
      {
        title: "The database takes no writing",
        expects: "503, the form with what was typed; nothing is written",
        by: "PostgreSQL, SET TRANSACTION",
      },
      async (stage) => {
        const { sent, name, typed } = await saving(
          stage,
          prepared,
          beforeWriting(() => stage.run(readOnlyStatement())),
        );
        stage.note("The database's answer is that of a transaction that is read only.");
        stage.answered(sent, [503]);
        stage.untouched(sent);
        keepsTyped(stage, prepared, sent, { name, typed });
      },
    ),
    ...answerCases(prepared),
  ];
}

/** Answer: where a save leads, and what is told there. */
function answerCases(prepared: Prepared): Case[] {
  const { page } = prepared;
  return [
    answer(
      "answer.redirect",
      {
        title: "After a save",
        expects: "303 to an address that opens",
        by: `RFC 9110, 15.4.4; page file: answer.saved, ${page.answer.saved}`,
      },
      async (stage) => {
        const { actor, record } = editing(prepared);
        const { sent } = await saving(stage, prepared, undefined);
        stage.answered(sent, [303], "saved");
        const location = sent.headers.location ?? "";
        stage.expect(location.startsWith("/"), `It leads to ${location || "nowhere"}.`);
        if (page.answer.to) return;
        const key = sent.entries[0] ? stage.keyIn(sent.entries[0], record.key) : record.key;
        const [path = "", query = ""] = location.split(/[?#]/);
        const wanted = {
          list: page.path.list,
          page: `${recordAddress(page.path, key)}/edit`,
          view: recordAddress(page.path, key),
          next: "",
        }[page.answer.saved];
        if (wanted) stage.expect(path === wanted, `It leads to ${path}, not to ${wanted}.`);
        const followed = await stage.get(path, actor, { query: queryOf(query) });
        stage.answered(followed, [200, 303]);
      },
    ),
    answer(
      "answer.no-cache",
      {
        title: "What is kept of the answers",
        expects: "nothing: no-store on the form, the list and what is refused",
        by: "RFC 9111, 5.2.2.5",
      },
      async (stage) => {
        const { actor, record } = editing(prepared);
        for (const path of [stage.address(record.key, "/edit"), stage.address(record.key), page.path.list]) {
          const sent = await stage.get(path, actor);
          stage.expect(
            /no-store/.test(sent.headers["cache-control"] ?? ""),
            `${path} may be kept: ${sent.headers["cache-control"] ?? "no cache-control"}.`,
          );
          stage.expect(
            /charset=utf-8/i.test(sent.headers["content-type"] ?? ""),
            `${path} does not say that it is UTF-8.`,
          );
        }
      },
    ),
    answer(
      "answer.escapes-typed",
      {
        title: "Markup that was typed, in a form that is refused",
        expects: "shown as text, in its control",
        by: "CWE-79",
      },
      async (stage) => {
        const { actor, record } = editing(prepared);
        const field = typedFields(page).find(
          ({ control }) => control === "text" || control === "multi-line" || control === "number" || control === "date",
        );
        if (!field) leaveOut("The form has no field for text.");
        const { form } = await stage.form(stage.address(record.key, "/edit"), actor);
        const typed = `"'><quill-mark onclick=x></textarea><quill-mark>${"z".repeat(3000)}`;
        const sent = await stage.post(
          stage.address(record.key, "/edit"),
          actor,
          typing(page, form, { [field.column.name]: typed }),
          { key: record.key },
        );
        stage.expect(sent.status < 500, `It is answered ${sent.status}.`);
        stage.expect(sent.document.count("quill-mark") === 0, "Typed markup became an element of the page.");
        stage.expect(
          sent.document.handlers.length === 0,
          `Typed text became a handler: ${sent.document.handlers.join(", ")}.`,
        );
      },
    ),
  ];
}
