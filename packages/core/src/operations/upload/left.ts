import * as v from "valibot";
import { word } from "../../messages/messages.js";
import { type SpreadsheetColumn, spreadsheetColumns } from "../../page/spreadsheet.js";
import type { FileFormat } from "../../spreadsheet/sheet.js";
import type { StoredRecord } from "../../steps/load.js";
import { loadLists } from "../../steps/offer.js";
import { type Outcome, refused } from "../../trip/outcome.js";
import type { Trip } from "../../trip/trip.js";
import type { UploadRow } from "../../views/upload-view.js";
import type { Cells, Way } from "./came-back.js";
import { cellOf, fileOf, typedCell } from "./download.js";
import { jsonOf } from "./view.js";

/* The rows that could not be saved as they are, given back as a file of their own, with what is said of them beside their cells. */

const leftSchema = v.array(
  v.strictObject({
    /** What stands in the column of the marks. */
    mark: v.string(),
    /** By the page's columns, in their order. */
    cells: v.array(v.string()),
    /** What is said of some of them, by their places. */
    notes: v.array(v.tuple([v.number(), v.string()])),
    said: v.nullable(v.string()),
  }),
);
export type Left = v.InferOutput<typeof leftSchema>[number];

/**
 * A row that could not be saved as it is. Of a record that is there, cells that nobody has touched are as they are stored now, as the mark says that
 * they were shown.
 */
export function leftOf(
  trip: Trip,
  { lists }: Way,
  told: UploadRow,
  {
    mark,
    cells,
    record = null,
  }: { readonly mark: string; readonly cells: Cells; readonly record?: StoredRecord | null },
): Left {
  const { page } = trip;
  const columns = spreadsheetColumns(page);
  const touched = new Set(told.cells.map(({ name }) => name));
  const textOf = (column: SpreadsheetColumn, index: number): string =>
    record && !touched.has(column.field.column.name)
      ? cellOf(trip, [column, index], record.row, lists).text
      : (cells.get(column) ?? "");
  return {
    mark,
    cells: columns.map(textOf),
    notes: told.cells.flatMap(({ name, problem, theirs }): [number, string][] => {
      const place = columns.findIndex(({ field }) => field.column.name === name);
      const said = [problem, theirs === null ? null : `${word(page.language, "stored-now")} ${theirs}`];
      const text = said.filter(Boolean).join(" ");
      return place < 0 || text === "" ? [] : [[place, text]];
    }),
    said: told.said,
  };
}

/** The file of those rows. */
export async function leftFile(trip: Trip, text: string, format: FileFormat): Promise<Outcome> {
  const { page } = trip;
  const columns = spreadsheetColumns(page);
  const parsed = v.safeParse(leftSchema, jsonOf(text));
  if (!parsed.success || parsed.output.some(({ cells }) => cells.length !== columns.length))
    return refused("form-broken", page);
  const rows = parsed.output.map(({ mark, cells, notes, said }) => {
    const noteOf = new Map(notes);
    const messages = [
      ...(said === null ? [] : [said]),
      ...notes.map(([place, note]) => `${columns[place]?.field.label ?? ""}: ${note}`),
    ];
    return {
      mark,
      cells: columns.map((column, place) => typedCell(trip, column, cells[place] ?? "", noteOf.get(place) ?? null)),
      message: messages.join("\n"),
    };
  });
  return fileOf(trip, format, rows, { lists: await loadLists(trip), hasMessages: true });
}
