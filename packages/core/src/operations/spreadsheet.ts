import { show } from "../controls/show.js";
import { word } from "../messages/messages.js";
import { rowPage } from "../page/rows.js";
import {
  markCell,
  markHeading,
  type SpreadsheetColumn,
  spreadsheetColumns,
  spreadsheetPage,
} from "../page/spreadsheet.js";
import type { Row } from "../postgres/statement.js";
import { queryText } from "../settings/bound/path.js";
import { labelOf } from "../spreadsheet/cells.js";
import { isEditableRow, referenceName } from "../statements/list.js";
import { loadLists } from "../steps/offer.js";
import { writeToken } from "../steps/token.js";
import { type Outcome, refused } from "../trip/outcome.js";
import type { Trip } from "../trip/trip.js";
import { type CsvField, csvLines } from "../values/csv.js";
import type { Offers } from "../views/form-view.js";
import { claimsFor } from "./form.js";
import { partAt, questionOf } from "./list.js";
import { keyIn, recordIn } from "./row-forms.js";

/** So many rows are made at a time. */
const rowsAtATime = 100;

/** What stands in the mark's column of a record that can't be changed. */
export const noMark = "–";

/** The byte order mark by which spreadsheets know UTF-8 (Unicode, 23.8). */
const byteOrderMark = "\uFEFF";

const csvType = "text/csv; charset=utf-8; header=present";

const texts: ReadonlySet<string> = new Set(["text", "enum", "json", "other", "uuid"]);

/** The trip of a file's row: its marks are bound to the person, and to no session, since a file outlives it. */
export const fileTrip = (trip: Trip, key: readonly string[]): Trip => ({
  ...trip,
  page: rowPage(spreadsheetPage(trip.page)),
  key,
  request: { ...trip.request, session: "" },
});

/** What stands in a field's cell: labels in the place of keys, yes and no, everything else as its control shows it. */
function cellOf({ page }: Trip, { field }: SpreadsheetColumn, index: number, row: Row, lists: Offers): CsvField {
  const { column, choices } = field;
  const label = row[column.name] ?? null;
  const joined = spreadsheetPage(page).list.columns[index]?.choices ?? null;
  const stored = joined ? (row[referenceName(index)] ?? null) : label;
  const isText = choices !== null || texts.has(column.type.kind);
  if (stored === null) return { text: "", isText };
  const options = lists.get(column.name)?.options ?? [];
  if (choices !== null) return { text: labelOf(options, stored) ?? label ?? stored, isText };
  if (column.type.kind === "boolean") return { text: word(page.language, stored === "true" ? "yes" : "no"), isText };
  const { text } = show(field, stored, page);
  return { text: column.type.kind.startsWith("timestamp") ? text.replace("T", " ") : text, isText };
}

/** The list for editing in a spreadsheet (CSV, RFC 4180): the page's fields under their labels, and a signed mark for each row. */
export async function spreadsheet(trip: Trip): Promise<Outcome> {
  const { page, facts, request, recorder, dependencies } = trip;
  const { bom, ...query } = request.query;
  const { question, filters, strays } = questionOf(page, { ...request, query });
  if (filters.problems.length + strays.length > 0)
    return { kind: "shown", view: { what: "elsewhere", to: `${page.path.list}${queryText(query)}` } };
  const turn = dependencies.exportTurn?.(facts.actor.id) ?? "free";
  if (turn !== "free") {
    recorder.note("load", [], turn === "export-of-yours" ? "they download already" : "too many download already");
    return refused(turn, page);
  }
  const own = { ...trip, page: spreadsheetPage(page) };
  const columns = spreadsheetColumns(page);
  const [{ rows, more }, lists] = await Promise.all([
    partAt(own, question, { backward: false, beyond: null }, page.list.spreadsheet?.most),
    loadLists({ page, facts, dependencies }),
  ]);
  recorder.note("load", [
    { name: "rows", value: String(rows.length), ...(more ? { note: "there are more than one file holds" } : {}) },
  ]);
  recorder.note("prefill", []);
  const line = (row: Row): CsvField[] => {
    const cells = columns.map((column, index) => cellOf(trip, column, index, row, lists));
    const key = keyIn(own.page, row);
    const inFile = fileTrip(trip, key);
    const mark = isEditableRow(page, row)
      ? markCell(writeToken(claimsFor(inFile, "edit", recordIn(inFile.page, row)), dependencies.signer))
      : noMark;
    return [...cells, { text: mark, isText: false }];
  };
  const heads = [...columns.map(({ heading }) => heading), markHeading].map((text) => ({ text, isText: true }));
  const name = `${page.path.listSegments.at(-1) ?? page.name}-to-edit.csv`;
  // Others are answered between the parts.
  async function* parts(): AsyncGenerator<string> {
    yield `${bom === undefined ? "" : byteOrderMark}${csvLines([heads])}`;
    for (let start = 0; start < rows.length; start += rowsAtATime) {
      await dependencies.pause(0);
      yield csvLines(rows.slice(start, start + rowsAtATime).map(line));
    }
  }
  return { kind: "shown", view: { what: "file", file: { name, type: csvType, parts: parts() } } };
}
