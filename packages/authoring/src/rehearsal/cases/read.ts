import { saveName, searchButtonName, tokenName } from "@loyal-quill/core/page/names";
import { bodyOf, encoded, withValue } from "../browser.js";
import { type Case, leaveOut, NotJudged } from "../case.js";
import { type Prepared, typedOf } from "../prepare.js";
import type { Stage } from "../stage.js";
import type { Sent } from "../staging.js";
import { casesOf, editing, otherValues, somethingToType, tokenOf, typedFields, typedForm, typing } from "./making.js";

const make = casesOf("read");

/** Opens the form, makes a body of it, sends that. */
async function sendBody(
  stage: Stage,
  prepared: Prepared,
  make: (asTyped: string, form: Awaited<ReturnType<Stage["form"]>>["form"]) => string,
): Promise<Sent> {
  const { path, actor, record, body, form } = await typedForm(stage, prepared);
  return stage.post(path, actor, make(body, form), { key: record.key });
}

/** It was refused, and nothing was written. */
function refusedWhole(stage: Stage, sent: Sent): void {
  stage.expect(
    sent.status >= 400 && sent.status < 500,
    `It is answered ${sent.status} (${sent.stopped ?? sent.outcome}), not refused.`,
  );
  stage.untouched(sent);
}

const without = (body: string, name: string): string => withValue(body, name, null);

const withToken = (body: string, token: string): string => withValue(body, tokenName, token);

/** Sends a raw, percent-encoded text in the first text field. */
async function sendRaw(stage: Stage, prepared: Prepared, raw: string): Promise<Sent> {
  const { actor, record } = editing(prepared);
  const field = typedFields(prepared.page).find(({ control }) => control === "text" || control === "multi-line");
  if (!field) leaveOut("The form has no field for text.");
  const { form } = await stage.form(stage.address(record.key, "/edit"), actor);
  const body = typing(prepared.page, form, { [field.column.name]: null });
  return stage.post(stage.address(record.key, "/edit"), actor, `${body}&${encodeURIComponent(field.formName)}=${raw}`, {
    key: record.key,
  });
}

/** The token of a form: whole, of this form, of this session. */
function tokenCases(prepared: Prepared): Case[] {
  const { page } = prepared;
  const refused = { expects: "refused; nothing is written", by: "the form's token" };
  return [
    make("read.no-token", { title: "A form without its token", ...refused }, async (stage) =>
      refusedWhole(stage, await sendBody(stage, prepared, (body) => without(body, tokenName))),
    ),
    make("read.empty-body", { title: "Nothing at all", ...refused }, async (stage) =>
      refusedWhole(stage, await sendBody(stage, prepared, () => "")),
    ),
    make("read.forged-token", { title: "A token with one sign changed in its signature", ...refused }, async (stage) =>
      refusedWhole(
        stage,
        await sendBody(stage, prepared, (body, form) => {
          const token = tokenOf(form);
          return withToken(body, `${token.startsWith("A") ? "B" : "A"}${token.slice(1)}`);
        }),
      ),
    ),
    make("read.forged-version", { title: "A token whose row version was changed", ...refused }, async (stage) =>
      refusedWhole(
        stage,
        await sendBody(stage, prepared, (body, form) =>
          withToken(
            body,
            tokenOf(form).replace(/"row":"(\d*)"/, (_, version) => `"row":"${version}1"`),
          ),
        ),
      ),
    ),
    make("read.forged-key", { title: "A token whose key was changed", ...refused }, async (stage) =>
      refusedWhole(
        stage,
        await sendBody(stage, prepared, (body, form) =>
          withToken(body, tokenOf(form).replace('"key":["', '"key":["1')),
        ),
      ),
    ),
    make("read.unsigned-token", { title: "A token of the right shape, signed by nobody", ...refused }, async (stage) =>
      refusedWhole(
        stage,
        await sendBody(stage, prepared, (body, form) => withToken(body, tokenOf(form).replace(/^[^.]*/, ""))),
      ),
    ),
    make(
      "read.token-of-deletion",
      {
        title: "The token of another form of the same record",
        expects: "refused; nothing is written",
        by: "the form's token",
      },
      async (stage) => {
        if (!page.access.delete) leaveOut("The page has no other form of the record.");
        const { actor, record } = editing(prepared);
        const other = await stage.get(stage.address(record.key, "/delete"), actor);
        const token = other.document.form && tokenOf(other.document.form);
        if (!token) throw new NotJudged("The record has no form for deleting it.");
        refusedWhole(stage, await sendBody(stage, prepared, (body) => withToken(body, token)));
      },
    ),
    make(
      "read.another-session",
      {
        title: "A form of another session of the same person",
        expects: "shown again to be looked at; nothing is written",
        by: "the form's token",
      },
      async (stage) => {
        const { path, body, record, actor } = await typedForm(stage, prepared);
        const sent = await stage.post(path, actor, body, {
          key: record.key,
          session: "another session",
        });
        stage.answered(sent, [403, 409, 422]);
        stage.untouched(sent);
      },
    ),
  ];
}

/** What is sent and what is not: other columns, fewer fields, one of them twice. */
function fieldCases(prepared: Prepared): Case[] {
  const { page } = prepared;
  return [
    make(
      "read.extra",
      {
        title: "Columns that are not on the form, sent along",
        expects: "none of them is written",
        by: "page file: fields; CWE-915",
      },
      async (stage) => {
        const onForm = new Set(page.fields.flatMap((field) => (field.readOnly ? [] : [field.column.name])));
        const extra = page.table.columns.filter(({ name, sensitive }) => !onForm.has(name) && !sensitive);
        if (extra.length === 0) leaveOut("Every column of the table is on the form.");
        const { path, actor, record, field, value, body } = await typedForm(stage, prepared);
        const forged = encoded(
          extra.map((column) => [
            column.name,
            prepared.rows.find(({ row }) => row[column.name] !== record.row[column.name])?.row[column.name] ?? "7",
          ]),
        );
        const sent = await stage.post(path, actor, `${body}&${forged}`, { key: record.key });
        stage.expect(sent.status < 500, `It is answered ${sent.status}.`);
        const { before, after } = sent;
        if (!before || !after) return;
        const set = new Set(page.sets.map(({ column }) => column.name));
        const otherwise = extra.flatMap(({ name, written }): [string, string][] =>
          set.has(name) || written === "always" || before[name] === after[name]
            ? []
            : [[name, `${name} was written: ${before[name]} became ${after[name]}`]],
        );
        const doubt = { key: record.key, values: { [field.column.name]: value } };
        stage.asTheTableHasIt(doubt, before, after, new Map(otherwise));
      },
    ),
    make(
      "read.missing",
      { title: "A field left out of what is sent", expects: "it stays as it is", by: "page file: fields" },
      async (stage) => {
        const { actor, record } = editing(prepared);
        const { field, value } = await somethingToType(stage, prepared, actor, record);
        for (const missing of typedFields(page)
          .filter((each) => each !== field && each.control !== "check-box" && each.control !== "radio")
          .slice(0, 4)) {
          await stage.tried(async () => {
            const { before, after, status } = await sendBody(stage, prepared, (body) =>
              without(body, missing.formName),
            );
            const { name } = missing.column;
            stage.expect(status < 500, `It is answered ${status}.`);
            if (!before || !after || before[name] === after[name]) return;
            const told = `${name} was ${before[name] ?? "null"} and is ${after[name] ?? "null"}, though it was not sent`;
            const doubt = { key: record.key, values: { [field.column.name]: value } };
            stage.asTheTableHasIt(doubt, before, after, new Map([[name, told]]));
          });
        }
      },
    ),
    make(
      "read.only-token",
      { title: "The token alone", expects: "no field is emptied", by: "page file: fields" },
      async (stage) => {
        const sent = await sendBody(stage, prepared, (_, form) =>
          bodyOf([
            [tokenName, tokenOf(form)],
            [saveName, ""],
          ]),
        );
        stage.expect(sent.status < 500, `It is answered ${sent.status}.`);
        stage.untouched(sent);
      },
    ),
    make(
      "read.repeated",
      { title: "A field sent twice, with two values", expects: "one of them or none, and no failure", by: "URL, 5.1" },
      async (stage) => {
        const { record } = editing(prepared);
        const field = typedFields(page).find(
          (each) => otherValues(prepared, each, record.row).length > 1 && each.control !== "check-box",
        );
        if (!field) leaveOut("No field has two other values to send.");
        const { name } = field.column;
        const [one = "", two = ""] = otherValues(prepared, field, record.row);
        const { actor } = editing(prepared);
        const { form } = await stage.form(stage.address(record.key, "/edit"), actor);
        const body = typing(page, form, { [name]: typedOf(page, field, one) });
        const twice = `${body}&${encoded([[field.formName, typedOf(page, field, two)]])}`;
        const sent = await stage.post(stage.address(record.key, "/edit"), actor, twice, { key: record.key });
        stage.expect(sent.status < 500, `It is answered ${sent.status}.`);
        const stored = sent.after?.[name] ?? null;
        stage.expect(
          [record.row[name] ?? null, one, two].includes(stored),
          `${name} became ${stored ?? "null"}, which was not sent.`,
        );
      },
    ),
  ];
}

/** Bodies that no form of ours makes. */
function bodyCases(prepared: Prepared): Case[] {
  const { page } = prepared;
  return [
    make(
      "read.oversized",
      {
        title: "A million characters in one field",
        expects: "refused, or stored whole: never a failure",
        by: "page file: rules; table: lengths",
      },
      async (stage) => {
        const sent = await sendRaw(stage, prepared, "m".repeat(1_000_000));
        stage.expect(sent.status < 500, `It is answered ${sent.status} (${sent.stopped ?? sent.outcome}).`);
        if (sent.status >= 400) stage.untouched(sent);
      },
    ),
    make(
      "read.too-large",
      { title: "A body beyond the server's limit", expects: "413; nothing is written", by: "RFC 9110, 15.5.14" },
      async (stage) => {
        const { actor, record } = editing(prepared);
        const sent = await stage.send("POST", stage.address(record.key, "/edit"), actor, {
          refusedBody: "body-too-large",
          key: record.key,
        });
        stage.answered(sent, [413]);
        stage.untouched(sent);
      },
    ),
    make(
      "read.media-type",
      { title: "A body of another media type", expects: "415; nothing is written", by: "RFC 9110, 15.5.16" },
      async (stage) => {
        const { actor, record } = editing(prepared);
        const sent = await stage.send("POST", stage.address(record.key, "/edit"), actor, {
          refusedBody: "wrong-content-type",
          key: record.key,
        });
        stage.answered(sent, [415]);
        stage.untouched(sent);
      },
    ),
    make(
      "read.nul",
      {
        title: "A NUL character in a text",
        expects: "refused at the field; nothing is written",
        by: "PostgreSQL, 8.3",
      },
      async (stage) => refusedWhole(stage, await sendRaw(stage, prepared, "a%00b")),
    ),
    make(
      "read.no-utf-8",
      { title: "Bytes that are no UTF-8", expects: "refused; nothing is written", by: "RFC 3629, 3" },
      async (stage) => {
        refusedWhole(stage, await sendRaw(stage, prepared, "%ff%fe"));
        refusedWhole(stage, await sendRaw(stage, prepared, "%ed%a0%80"));
      },
    ),
    make(
      "read.cut-short",
      {
        title: "A body that ends in the middle of its token",
        expects: "refused; nothing is written",
        by: "the form's token",
      },
      async (stage) =>
        refusedWhole(
          stage,
          await sendBody(stage, prepared, (body, form) => {
            const token = encoded([[tokenName, tokenOf(form)]]);
            const rest = without(body, tokenName);
            return `${rest}&${token.slice(0, Math.floor(token.length / 2))}`;
          }),
        ),
    ),
    make(
      "read.broken-encoding",
      {
        title: "A body whose last percent sign encodes nothing",
        expects: "refused; nothing is written",
        by: "URL, 5.1",
      },
      async (stage) => refusedWhole(stage, await sendRaw(stage, prepared, "abc%2")),
    ),
    make(
      "read.search-is-no-save",
      {
        title: "Asking for choices instead of saving",
        expects: "the form again, with what was typed; nothing is written",
        by: "page file: choices",
      },
      async (stage) => {
        const field = typedFields(page).find(({ choices }) => choices?.from === "table" && choices.by === "search");
        if (!field) leaveOut("No field's choices are searched for.");
        const sent = await sendBody(
          stage,
          prepared,
          (body) => `${body}&${encoded([[searchButtonName, field.column.name]])}`,
        );
        stage.answered(sent, [200, 422]);
        stage.untouched(sent);
      },
    ),
  ];
}

/** Read: what comes back is taken for what the form is, and for nothing else. */
export const readCases = (prepared: Prepared): Case[] => [
  ...tokenCases(prepared),
  ...fieldCases(prepared),
  ...bodyCases(prepared),
];
