import type { Page } from "../page/page.js";
import type { Row } from "../postgres/statement.js";
import { decodeSegment } from "../settings/bound/path.js";
import { choicesStatement, mostFound, mostOptions } from "../statements/find-choices.js";
import { type Column, columnOf } from "../table/model.js";
import { notFound, type Outcome } from "../trip/outcome.js";
import type { Trip } from "../trip/trip.js";
import { readValue } from "../values/read-value.js";

/** The most that can be looked for, in characters. */
const longestSearch = 200;

/** The column of a control's name. */
const columnOfName = (page: Page, name: string): Column | undefined =>
  page.fields.find(({ formName }) => formName === name)?.column ?? columnOf(page.table, name);

/** What else is on the form, from the query: `form.COLUMN=TEXT`. */
function formIn({ page, request }: Trip): Row {
  const pairs = Object.entries(request.query).flatMap(([name, text]): [string, string | null][] => {
    const column = name.startsWith("form.") ? columnOfName(page, name.slice(5)) : undefined;
    const read = column && readValue(column.type, text, page.timeZone, page.language);
    return column && read?.ok ? [[column.name, read.value]] : [];
  });
  return Object.fromEntries(pairs);
}

/**
 * A field's choices as JSON, for the script of the served pages: those that contain `q`, or all of them where the field has a
 * list.
 */
export async function choices(trip: Trip, segments: readonly string[]): Promise<Outcome> {
  const { page, request, facts, recorder, dependencies } = trip;
  const name = decodeSegment(segments[0] ?? "");
  const field = page.fields.find((each) => each.formName === name);
  if (field?.choices?.from !== "table" || (field.readOnly && !field.onNew)) {
    recorder.note("load", [], "there is no field with choices of this name");
    return notFound("no-such-address", page);
  }
  const asked = (request.query.q ?? "").replaceAll("\0", "").trim().slice(0, longestSearch);
  const search = asked === "" && field.choices.by === "list" ? null : asked;
  const rows = await dependencies.database.run(
    choicesStatement(field.choices, { ...facts, form: formIn(trip) }, search),
  );
  const most = search === null ? mostOptions : mostFound;
  recorder.note("load", [
    { name: "search", value: search },
    { name: "rows", value: String(rows.length) },
  ]);
  const options = rows.slice(0, most).map((row) => ({ value: row.value ?? "", label: row.label ?? row.value ?? "" }));
  return { kind: "shown", view: { what: "choices", choices: { options, more: rows.length > most } } };
}
