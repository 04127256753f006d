import { truthOf } from "@loyal-quill/core/condition/evaluate";
import { type Condition, everyPart } from "@loyal-quill/core/condition/expression";
import { type Actor, factsOf } from "@loyal-quill/core/condition/facts";
import type { Row, Stored } from "@loyal-quill/core/postgres/statement";
import { columnOf } from "@loyal-quill/core/table/model";
import { type Case, leaveOut } from "../case.js";
import type { Prepared } from "../prepare.js";
import type { Stage } from "../stage.js";
import type { Sent } from "../staging.js";
import { casesOf, editing, somethingToType, typedForm, typing } from "./making.js";

const make = casesOf("access");

/** Values of the record that must not stand in an answer: long enough to be known again. */
function tells(sent: Sent, prepared: Prepared, row: Row, path: string): string | null {
  for (const { column } of prepared.page.fields) {
    const value = row[column.name];
    if (value && value.length > 7 && !path.includes(encodeURIComponent(value)) && sent.answer.includes(value))
      return column.name;
  }
  return null;
}

function tellsNothing(stage: Stage, sent: Sent, prepared: Prepared, row: Row): void {
  const told = tells(sent, prepared, row, sent.path);
  stage.expect(told === null, `The answer tells the value of ${told ?? ""}.`);
  stage.expect(sent.document.form === null, "A form is shown.");
}

/** A change of one column by which a condition no longer holds for somebody; null where none was found. */
export function breaking(
  condition: Condition,
  actor: Actor,
  row: Row,
  { now, page, values }: Prepared,
): Readonly<Record<string, Stored>> | null {
  const literals = everyPart(condition.expression).flatMap((part) =>
    part.op === "literal" && part.value !== null ? [String(part.value)] : [],
  );
  for (const name of condition.rowColumns) {
    const column = columnOf(page.table, name);
    if (column?.written !== "freely" || !column.granted.update) continue;
    if (page.key.includes(column)) continue;
    const known =
      column.type.kind === "boolean"
        ? ["true", "false"]
        : [...literals, ...(values.get(name) ?? []), ...column.type.labels];
    for (const value of [...known, ...(column.nullable ? [null] : [])]) {
      if (value === row[name]) continue;
      const isLabel = column.type.kind !== "enum" || value === null || column.type.labels.includes(value);
      const changed = { ...row, [name]: value };
      try {
        if (isLabel && truthOf(condition.expression, { ...factsOf(actor, now), row: changed }) !== true)
          return { [name]: value };
      } catch {
        // No value of the column's type.
      }
    }
  }
  return null;
}

/** Opens a form, changes the record so that a condition no longer holds, and sends the form. */
async function becoming(stage: Stage, prepared: Prepared, condition: Condition | null, name: string): Promise<Sent> {
  if (!condition || condition.rowColumns.length === 0) leaveOut(`The page has no ${name} condition on the record.`);
  const { actor, record } = editing(prepared);
  const values = breaking(condition, actor, record.row, prepared);
  if (!values) leaveOut("No single column was found that would make the condition false.");
  const { field, typed } = await somethingToType(stage, prepared, actor, record);
  const { form } = await stage.form(stage.address(record.key, "/edit"), actor);
  await stage.put(record.key, values);
  return stage.post(
    stage.address(record.key, "/edit"),
    actor,
    typing(prepared.page, form, { [field.column.name]: typed }),
    { key: record.key },
  );
}

/** Access: who may come in, to which records, in which state; asked again at every save. */
export function accessCases(prepared: Prepared): Case[] {
  const { page, stranger, hidden, locked } = prepared;
  return [
    make(
      "access.nobody.open",
      { title: "The form, by nobody", expects: "leads to the sign-in, or 401; tells nothing", by: "RFC 9110, 15.5.2" },
      async (stage) => {
        const { record } = editing(prepared);
        const sent = await stage.get(stage.address(record.key, "/edit"), null);
        stage.answered(sent, [302, 303, 401], "refused");
        tellsNothing(stage, sent, prepared, record.row);
      },
    ),
    make(
      "access.nobody.save",
      { title: "A form sent by nobody", expects: "401 or to the sign-in; nothing is written", by: "RFC 9110, 15.5.2" },
      async (stage) => {
        const { path, body, record } = await typedForm(stage, prepared);
        const sent = await stage.post(path, null, body, { key: record.key });
        stage.answered(sent, [302, 303, 401], "refused");
        stage.untouched(sent);
      },
    ),
    make(
      "access.wrong-role.open",
      {
        title: "The form, by somebody to whom the page is not open",
        expects: "403; tells nothing",
        by: "page file: access.open",
      },
      async (stage) => {
        if (!stranger) leaveOut("The page is open to everybody who is signed in.");
        const { record } = editing(prepared);
        const sent = await stage.get(stage.address(record.key, "/edit"), stranger);
        stage.answered(sent, [403], "refused");
        tellsNothing(stage, sent, prepared, record.row);
      },
    ),
    make(
      "access.wrong-role.list",
      {
        title: "The list, by somebody to whom the page is not open",
        expects: "403; tells nothing",
        by: "page file: access.open",
      },
      async (stage) => {
        if (!stranger) leaveOut("The page is open to everybody who is signed in.");
        const { record } = editing(prepared);
        const sent = await stage.get(page.path.list, stranger);
        stage.answered(sent, [403], "refused");
        tellsNothing(stage, sent, prepared, record.row);
      },
    ),
    make(
      "access.wrong-role.save",
      {
        title: "A form sent by somebody to whom the page is not open",
        expects: "403; nothing is written",
        by: "page file: access.open",
      },
      async (stage) => {
        if (!stranger) leaveOut("The page is open to everybody who is signed in.");
        const { path, body, record } = await typedForm(stage, prepared);
        const sent = await stage.post(path, stranger, body, { key: record.key });
        stage.answered(sent, [403], "refused");
        stage.untouched(sent);
      },
    ),
    ...(["", "/edit", "/history", "/delete"] as const).map((end) =>
      make(
        `access.other-record.open`,
        {
          title: `${end === "" ? "The record" : end.slice(1)} of a record that the person may not see`,
          expects: "404, as if it weren't there; tells nothing",
          by: "page file: access.rows",
        },
        async (stage) => {
          if (!hidden) leaveOut("Everybody who may open the page may see every record.");
          const sent = await stage.get(stage.address(hidden.record.key, end), hidden.from);
          stage.answered(sent, [404]);
          tellsNothing(stage, sent, prepared, hidden.record.row);
        },
        end === "" ? "record" : end.slice(1),
      ),
    ),
    make(
      "access.other-record.list",
      {
        title: "The list of somebody who may not see all records",
        expects: "none of the others' records is in it, whatever is searched for",
        by: "page file: access.rows",
      },
      async (stage) => {
        if (!hidden) leaveOut("Everybody who may open the page may see every record.");
        const address = stage.address(hidden.record.key);
        for (const query of [{}, { q: hidden.record.key.at(-1) ?? "" }]) {
          const sent = await stage.get(page.path.list, hidden.from, { query });
          stage.answered(sent, [200]);
          const found = sent.document.links.some(
            (link) =>
              link.split("?")[0]?.startsWith(address) &&
              !/[^/]/.test(link.split("?")[0]?.slice(address.length, address.length + 1) ?? ""),
          );
          stage.expect(!found, `${address} is in the list.`);
        }
      },
    ),
    make(
      "access.wrong-state.open",
      {
        title: "The form of a record in a state that can't be edited",
        expects: "the record is shown, without a form",
        by: "page file: access.edit",
      },
      async (stage) => {
        if (!page.access.edit) leaveOut("Records can be edited in every state.");
        if (!locked || !prepared.actor) leaveOut("No record was found that can't be edited.");
        const sent = await stage.get(stage.address(locked.key, "/edit"), prepared.actor);
        stage.answered(sent, [200, 403]);
        const form = sent.document.forms.find(({ action, method }) => method === "post" && action.includes("/edit"));
        stage.expect(form === undefined, "A form that can be sent is shown.");
      },
    ),
    make(
      "access.wrong-state.becoming",
      {
        title: "The record comes into a state that can't be edited, between opening and saving",
        expects: "403 with the reason; nothing is written",
        by: "page file: access.edit",
      },
      async (stage) => {
        const sent = await becoming(stage, prepared, page.access.edit, "edit");
        stage.answered(sent, [403], "refused");
        stage.untouched(sent);
      },
    ),
    make(
      "access.other-record.becoming",
      {
        title: "The record becomes one that the person may not see, between opening and saving",
        expects: "404; nothing is written",
        by: "page file: access.rows",
      },
      async (stage) => {
        const sent = await becoming(stage, prepared, page.access.rows, "rows");
        stage.answered(sent, [404], "not-found");
        stage.untouched(sent);
      },
    ),
    make(
      "access.other-person",
      {
        title: "A form that was made for somebody else",
        expects: "refused; nothing is written",
        by: "the form's token",
      },
      async (stage) => {
        const { actor, record } = editing(prepared);
        const other: Actor = { ...actor, id: `${actor.id}-another`, name: "Somebody Else" };
        const { field, typed } = await somethingToType(stage, prepared, actor, record);
        const { form } = await stage.form(stage.address(record.key, "/edit"), actor);
        const sent = await stage.post(
          stage.address(record.key, "/edit"),
          other,
          typing(page, form, { [field.column.name]: typed }),
          { key: record.key },
        );
        stage.expect(
          sent.outcome === "refused" || sent.outcome === "not-found",
          `It is answered ${sent.status} (${sent.outcome}).`,
        );
        stage.untouched(sent);
      },
    ),
  ];
}
