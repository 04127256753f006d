import { show } from "../../controls/show.js";
import { word } from "../../messages/messages.js";
import { rowPage } from "../../page/rows.js";
import {
  markCell,
  markHeading,
  type SpreadsheetColumn,
  spreadsheetColumns,
  spreadsheetPage,
} from "../../page/spreadsheet.js";
import type { Row } from "../../postgres/statement.js";
import { queryText } from "../../settings/bound/path.js";
import { labelOf, numberIn } from "../../spreadsheet/cells.js";
import { type FileFormat, fileFormats, mediaTypes, type SheetCell, type SheetColumn } from "../../spreadsheet/sheet.js";
import { writeXlsx } from "../../spreadsheet/write-xlsx.js";
import { isEditableRow, referenceName } from "../../statements/list.js";
import { loadLists } from "../../steps/offer.js";
import { writeToken } from "../../steps/token.js";
import { type Outcome, refused } from "../../trip/outcome.js";
import type { Trip } from "../../trip/trip.js";
import { csvLines } from "../../values/csv.js";
import type { Offers } from "../../views/form-view.js";
import { claimsFor } from "../form.js";
import { questionOf } from "../list.js";
import { partAt } from "../list-part.js";
import { keyIn, recordIn } from "../row-forms.js";
import { isTextColumn, realOf, sheetColumn, withStored } from "./columns.js";

/** So many rows are made at a time. */
const rowsAtATime = 100;

/** What stands in the mark's column of a record that can't be changed. */
export const noMark = "read-only";

/** The heading of the column in which stands what was said of a row. */
const messageHeading = "quill.message";

/** The byte order mark by which spreadsheets know UTF-8 (Unicode, 23.8). */
const byteOrderMark = "\uFEFF";

/** The trip of a file's row: its marks are bound to the person, and to no session, since a file outlives it. */
export const fileTrip = (trip: Trip, key: readonly string[]): Trip => ({
  ...trip,
  page: rowPage(spreadsheetPage(trip.page)),
  key,
  request: { ...trip.request, session: "" },
});

/** What stands in a field's cell: labels in the place of keys, yes and no, everything else as its control shows it. */
export function cellOf(
  { page }: Trip,
  [column, index]: readonly [column: SpreadsheetColumn, place: number],
  row: Row,
  lists: Offers,
): SheetCell {
  const { field } = column;
  const { choices } = field;
  const { name, type } = field.column;
  const label = row[name] ?? null;
  const joined = spreadsheetPage(page).list.columns[index]?.choices ?? null;
  const stored = joined && Object.hasOwn(row, referenceName(index)) ? (row[referenceName(index)] ?? null) : label;
  const isText = isTextColumn(column);
  if (stored === null) return { text: "", isText };
  const options = lists.get(name)?.options ?? [];
  if (choices !== null) return { text: labelOf(options, stored) ?? label ?? stored, isText };
  if (type.kind === "boolean") return { text: word(page.language, stored === "true" ? "yes" : "no"), isText };
  const { text } = show(field, stored, page);
  const real = realOf(type.kind, stored, text);
  return {
    text: type.kind.startsWith("timestamp") ? text.replace("T", " ") : text,
    isText,
    ...(real === undefined ? {} : { real }),
  };
}

/** A cell that came back, as it goes out once more. */
export function typedCell({ page }: Trip, column: SpreadsheetColumn, text: string, note: string | null): SheetCell {
  const { kind } = column.field.column.type;
  const number = isTextColumn(column) ? undefined : numberIn(text, page.language === "de");
  const real = isTextColumn(column) ? undefined : realOf(kind, number ?? text, text);
  return { text, isText: isTextColumn(column), note, ...(real === undefined ? {} : { real }) };
}

/** A row of a file: its cells, what stands in the column of the marks, and what is said of it. */
interface FileRow {
  readonly cells: readonly SheetCell[];
  readonly mark: string;
  readonly message?: string;
}

const plain = (text: string): SheetCell => ({ text, isText: false });

const closed = (heading: string, width: number): SheetColumn => ({
  heading,
  isOpen: false,
  note: null,
  format: "@",
  width,
  demand: null,
  refusal: "",
  mayBeEmpty: true,
});

interface FileOptions {
  /** What choices offer, in the heads of their columns. */
  readonly lists: Offers;
  /** Whether there is a column for what is said of a row. */
  readonly hasMessages?: boolean;
  /** Whether a CSV is to be without the mark of its encoding. */
  readonly isPlain?: boolean;
}

/** Rows as a file. */
export async function fileOf(
  trip: Trip,
  format: FileFormat,
  rows: Iterable<FileRow>,
  { lists, hasMessages = false, isPlain = false }: FileOptions,
): Promise<Outcome> {
  const { page, dependencies } = trip;
  const columns = [
    ...spreadsheetColumns(page).map((column) => sheetColumn(page, column, lists)),
    { ...closed(markHeading, 12), isCut: true },
    ...(hasMessages ? [closed(messageHeading, 60)] : []),
  ];
  const name = `${page.path.listSegments.at(-1) ?? page.name}-${hasMessages ? "to-correct" : "to-edit"}.${format}`;
  const cellsOf = ({ cells, mark, message = "" }: FileRow): readonly SheetCell[] => [
    ...cells,
    plain(mark),
    ...(hasMessages ? [{ text: message, isText: true }] : []),
  ];
  const heads = csvLines([columns.map(({ heading }) => ({ text: heading, isText: true }))]);
  // Others are answered between the parts.
  async function* csvParts(): AsyncGenerator<string> {
    yield `${isPlain ? "" : byteOrderMark}${heads}`;
    let part: (readonly SheetCell[])[] = [];
    for (const row of rows) {
      part.push(cellsOf(row));
      if (part.length < rowsAtATime) continue;
      yield csvLines(part);
      part = [];
      await dependencies.pause(0);
    }
    yield csvLines(part);
  }
  async function* xlsxParts(): AsyncGenerator<Uint8Array> {
    const lines: (readonly SheetCell[])[] = [];
    for (const row of rows) {
      lines.push(cellsOf(row));
      if (lines.length % rowsAtATime === 0) await dependencies.pause(0);
    }
    yield await writeXlsx({ name: page.plural, isRightToLeft: page.language === "ar", columns, rows: lines });
  }
  const parts = format === "csv" ? csvParts() : xlsxParts();
  return { kind: "shown", view: { what: "file", file: { name, type: mediaTypes[format], parts } } };
}

/** The list for editing in a spreadsheet: the page's fields under their labels, and a signed mark for each row. CSV (RFC 4180), or a workbook. */
export async function spreadsheet(trip: Trip): Promise<Outcome> {
  const { page, facts, request, recorder, dependencies } = trip;
  const { bom, format: wanted, ...query } = request.query;
  const format = fileFormats.find((each) => each === (wanted ?? "csv"));
  const { question, filters, strays } = questionOf(page, { ...request, query });
  if (filters.problems.length + strays.length > 0 || !format)
    return { kind: "shown", view: { what: "elsewhere", to: `${page.path.list}${queryText(query)}` } };
  const turn = dependencies.exportTurn?.(facts.actor.id) ?? "free";
  if (turn !== "free") {
    recorder.note("load", [], turn === "export-of-yours" ? "they download already" : "too many download already");
    return refused(turn, page);
  }
  const own = { ...trip, page: spreadsheetPage(page) };
  const columns = spreadsheetColumns(page);
  const [{ rows, more }, lists] = await Promise.all([
    partAt(own, question, { backward: false, beyond: null }, { length: page.list.spreadsheet?.most }),
    loadLists({ page, facts, dependencies }),
  ]);
  recorder.note("load", [
    { name: "rows", value: String(rows.length), ...(more ? { note: "there are more than one file holds" } : {}) },
  ]);
  recorder.note("prefill", []);
  const labels = await withStored({ ...trip, page }, lists, (name) => {
    const index = columns.findIndex(({ field }) => field.column.name === name);
    return rows.map(
      (row) => (Object.hasOwn(row, referenceName(index)) ? row[referenceName(index)] : row[name]) ?? null,
    );
  });
  function* fileRows(): Generator<FileRow> {
    for (const row of rows) {
      const inFile = fileTrip(trip, keyIn(own.page, row));
      const mark = isEditableRow(page, row)
        ? markCell(writeToken(claimsFor(inFile, "edit", recordIn(inFile.page, row)), dependencies.signer))
        : noMark;
      yield { cells: columns.map((column, index) => cellOf(trip, [column, index], row, labels)), mark };
    }
  }
  return fileOf(trip, format, fileRows(), { lists, isPlain: bom === undefined });
}
