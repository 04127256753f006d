import { word } from "../messages/messages.js";
import { loadedColumns } from "../page/columns.js";
import type { Page } from "../page/page.js";
import { rowPage } from "../page/rows.js";
import type { Row, Stored } from "../postgres/statement.js";
import { editableName, keyPartName, rawName } from "../statements/list.js";
import { versionName } from "../statements/load.js";
import { type StoredRecord, unknownRecord } from "../steps/load.js";
import { completeOffers, loadLists } from "../steps/offer.js";
import { titleOf } from "../steps/prefill.js";
import type { Submission } from "../steps/read.js";
import type { Trip } from "../trip/trip.js";
import type { FormView, Offers } from "../views/form-view.js";
import type { RowForm } from "../views/list-view.js";
import { type TypedText, typedText } from "../views/typed.js";
import { freshForm, layOut, sentForm } from "./form.js";

/** A row that was sent and is to be shown with what was typed, but is not answered. */
export interface RowSent {
  readonly key: readonly string[];
  readonly submission: Submission;
}

/** What became of a row that was sent: its form as it comes back. */
export interface RowState extends RowSent {
  /** Null where nothing of it can be sent again: its record is gone, or not to be edited any more. */
  readonly form: FormView | null;
  /** What is said of the row as a whole. */
  readonly said: string | null;
}

/** One row as it was read. */
export interface ReadRow extends RowSent {
  readonly number: number;
  /** The trip of this record's own form. */
  readonly trip: Trip;
}

const keyText = (key: readonly string[]): string => JSON.stringify(key);

export const keyIn = (page: Page, row: Row): readonly string[] =>
  page.key.map((_, index) => row[keyPartName(index)] ?? "");

/** The record of a list's row, as far as its form needs it. */
export const recordIn = (page: Page, row: Row): StoredRecord => ({
  row: Object.fromEntries(loadedColumns(page).map(({ name }, index) => [name, row[rawName(index)] ?? null])),
  version: row[versionName] ?? "",
});

/** What the forms in rows offer to choose from: asked for once for all of them. */
async function offersFor(trip: Trip, records: readonly StoredRecord[], sent: readonly RowSent[]): Promise<Offers> {
  const shown = new Map<string, Stored[]>();
  const add = (name: string, value: Stored): void => void shown.set(name, [...(shown.get(name) ?? []), value]);
  for (const { row } of records) for (const [name, value] of Object.entries(row)) add(name, value);
  for (const { submission } of sent) for (const { field, value } of submission.fields) add(field.column.name, value);
  return completeOffers(trip, await loadLists(trip), shown);
}

/** What was typed in a row that can't be saved any more, by the labels of what was chosen. */
const typedIn = ({ language }: Page, { fields }: Submission, offers: Offers): readonly TypedText[] =>
  fields
    .filter(({ touched }) => touched)
    .map(({ field, text }) => {
      const chosen = offers.get(field.column.name)?.options.find(({ value }) => value === text);
      return { label: field.label, text: chosen?.label ?? typedText(field, text, language) };
    });

/** What a record is called that is gone: by what its row's form held. */
const titleTyped = (page: Page, { key, submission: { fields } }: RowSent): string =>
  titleOf(page, Object.fromEntries(fields.map(({ field, text }) => [field.column.name, text || null])), key);

/** A row's page without the fields that have come to have more choices than a list holds: they are shown, since a row has no place for a search. */
function withLists(page: Page, offers: Offers): Page {
  const fields = page.fields.filter(({ column }) => offers.get(column.name)?.by !== "search");
  return fields.length === page.fields.length ? page : { ...page, fields };
}

/**
 * The forms in the rows of a list, row by row; null where a row can't be edited. Rows that were sent and are no longer in this part of the list
 * come after them.
 */
export async function rowForms(
  trip: Trip,
  rows: readonly Row[],
  states: readonly RowState[],
  sent: readonly RowSent[],
): Promise<readonly RowForm[]> {
  const page = rowPage(trip.page);
  const records = rows.map((row) => recordIn(page, row));
  const offers = await offersFor({ ...trip, page }, records, sent);
  const here: Trip = { ...trip, page: withLists(page, offers) };
  const answered = new Map(states.map((state) => [keyText(state.key), state]));
  const typed = new Map(sent.map((each) => [keyText(each.key), each]));
  const overOf = ({ submission }: RowSent, said: string | null): Pick<RowForm, "form" | "said" | "typed"> => ({
    form: null,
    said,
    typed: typedIn(page, submission, offers),
  });
  const formOf = (key: readonly string[], record: StoredRecord): Pick<RowForm, "form" | "said" | "typed"> => {
    const state = answered.get(keyText(key));
    if (state) return state.form ? { form: state.form, said: state.said } : overOf(state, state.said);
    const own = { ...here, key };
    const again = typed.get(keyText(key));
    return {
      form: layOut(
        own,
        "edit",
        again ? sentForm(again.submission, record, []) : freshForm(own, "edit", record),
        offers,
      ),
      said: null,
    };
  };
  const listed = rows.map((row, index): RowForm => {
    const key = keyIn(page, row);
    const record = records[index] ?? unknownRecord();
    const title = titleOf(trip.page, record.row, key);
    if (row[editableName] !== "false") return { key, row, ...formOf(key, record), title };
    const [state, again] = [answered.get(keyText(key)), typed.get(keyText(key))];
    if (state) return { key, row, ...overOf(state, state.said), title };
    if (again) return { key, row, ...overOf(again, word(page.language, "locked")), title };
    return { key, row, form: null, said: null, title };
  });
  const listedKeys = new Set(listed.map(({ key }) => keyText(key)));
  const isListed = ({ key }: RowSent | RowState): boolean => listedKeys.has(keyText(key));
  return [
    ...listed,
    ...rowsAlone(
      here,
      states.filter((each) => !isListed(each)),
      sent.filter((each) => !isListed(each)),
      offers,
    ),
  ];
}

/** Rows that were sent and do not stand in the list: with what was typed, as they would be sent again. */
export function rowsAlone(
  trip: Trip,
  states: readonly RowState[],
  sent: readonly RowSent[],
  offers: Offers = new Map(),
): readonly RowForm[] {
  const page = rowPage(trip.page);
  return [
    ...states.map((state): RowForm => {
      const { key, form, said } = state;
      if (form) return { key, row: null, form, said, title: form.title };
      const title = titleTyped(trip.page, state);
      return { key, row: null, form, said, title, typed: typedIn(page, state.submission, offers) };
    }),
    ...sent.map(({ key, submission }): RowForm => {
      const form = layOut({ ...trip, page, key }, "edit", sentForm(submission, unknownRecord(), []), new Map());
      return { key, row: null, form, said: null, title: form.title };
    }),
  ];
}
