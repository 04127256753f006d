import { boxName } from "../../controls/check-box.js";
import { controlKind } from "../../controls/index.js";
import { comparable, normal } from "../../controls/show.js";
import { word } from "../../messages/messages.js";
import type { Page } from "../../page/page.js";
import { markHeading, type SpreadsheetColumn, spreadsheetColumns, tokenIn } from "../../page/spreadsheet.js";
import { encodeSegment } from "../../settings/bound/path.js";
import { isAsShown, plainCell, truthOf, typedText, valueOfLabel } from "../../spreadsheet/cells.js";
import { misread } from "../../spreadsheet/read-csv.js";
import type { ReadTable } from "../../spreadsheet/sheet.js";
import { mayMake } from "../../steps/access.js";
import { readKey } from "../../steps/key.js";
import type { StoredRecord } from "../../steps/load.js";
import { type Claims, fieldDigest, readToken, signerOfClaims } from "../../steps/token.js";
import type { Trip } from "../../trip/trip.js";
import type { Offers } from "../../views/form-view.js";
import type { UploadRow } from "../../views/upload-view.js";
import { noMark } from "./download.js";

/* The rows of a file that came back: what each says of its record, as a form would have sent it. */

export type Pairs = readonly (readonly [string, string])[];

/** The cells of a row, by the columns that are known. */
export type Cells = ReadonlyMap<SpreadsheetColumn, string>;

/** A row that came back, as far as it was understood. */
export interface CameBack {
  readonly line: number;
  readonly mark: string;
  readonly claims: Claims;
  readonly cells: Cells;
}

/** A row without a mark. */
export interface Unmarked {
  readonly line: number;
  readonly cells: Cells;
}

/** What a file holds. */
interface RowsOfFile {
  readonly rows: readonly CameBack[];
  /** Rows that are told as they are, with their cells. */
  readonly foreign: readonly { readonly told: UploadRow; readonly mark: string; readonly cells: Cells }[];
  readonly unmarked: readonly Unmarked[];
  /** How many rows went out as such that can't be edited: what they showed is not known. */
  readonly readOnly: number;
  /** Of each key, in how many rows it stands. */
  readonly counts: ReadonlyMap<string, number>;
  /** How many rows there are. */
  readonly number: number;
}

/** The columns of a file by their headings: where they stand, whatever order they are in. */
function columnsIn(page: Page, heads: readonly string[]): ReadonlyMap<SpreadsheetColumn, number> | "twice" {
  const found = new Map<SpreadsheetColumn, number>();
  for (const column of spreadsheetColumns(page)) {
    const places = heads.flatMap((head, index) =>
      // The mark of an encoding may have been taken for letters.
      [column.heading, misread(column.heading), column.field.column.name].includes(
        plainCell(head).replace(misread("\uFEFF"), "").trim(),
      )
        ? [index]
        : [],
    );
    if (places.length > 1) return "twice";
    if (places[0] !== undefined) found.set(column, places[0]);
  }
  return found;
}

/** Whether a mark was made for this person and page, and its key is one of the page's as it is now: it may have had another when the file went out. */
export function isOurs({ page, facts }: Trip, claims: Claims): boolean {
  if (claims.page !== page.name || claims.actor !== facts.actor.id || claims.session !== "") return false;
  if (claims.form === "new") return mayMake(page, facts);
  return (
    claims.form === "edit" && claims.key.length === page.key.length && readKey(page, claims.key.map(encodeSegment)).ok
  );
}

/** What is said of a row whose mark is none of this person and page. */
export const unknownRow = ({ page, facts }: Trip, line: number, claims: Claims | undefined): UploadRow => {
  const said = word(page.language, claims && claims.actor !== facts.actor.id ? "upload-others" : "upload-foreign");
  return { line, title: "", state: "foreign", cells: [], said };
};

/** The rows of a file, each by its mark. */
export function rowsIn(trip: Trip, table: ReadTable): RowsOfFile | "no-marks" | "columns-twice" {
  const { page, dependencies } = trip;
  const [heads = [], ...lines] = table.rows;
  const markAt = heads.findIndex((head) => head.trim() === markHeading);
  const columns = columnsIn(page, heads);
  if (markAt < 0 || columns === "twice") return markAt < 0 ? "no-marks" : "columns-twice";
  const rows: CameBack[] = [];
  const foreign: { told: UploadRow; mark: string; cells: Cells }[] = [];
  const unmarked: Unmarked[] = [];
  let readOnly = 0;
  const counts = new Map<string, number>();
  let number = 0;
  for (const [index, texts] of lines.entries()) {
    if (texts.every((text) => text.trim() === "")) continue;
    number += 1;
    const cell = texts[markAt] ?? "";
    const mark = tokenIn(cell);
    const line = index + 2;
    const cells = new Map([...columns].map(([column, at]) => [column, texts[at] ?? ""]));
    if (mark === null) {
      // One that could not be edited came back, too.
      if (cell.trim() === noMark) readOnly += 1;
      else unmarked.push({ line, cells });
      continue;
    }
    const claims = readToken(mark, dependencies.signer);
    if (claims?.form !== "edit" || !isOurs(trip, claims)) {
      foreign.push({ told: unknownRow(trip, line, claims), mark: cell, cells });
      continue;
    }
    const key = JSON.stringify(claims.key);
    counts.set(key, (counts.get(key) ?? 0) + 1);
    rows.push({ line, mark, claims, cells });
  }
  return { rows, foreign, unmarked, readOnly, counts, number };
}

/** How the cells of a file are to be read. */
export interface Way {
  readonly lists: Offers;
  readonly hasDecimalComma: boolean;
}

/** The columns of a row whose cells differ from what was shown, as far as they are taken back. */
export function touchedIn(
  { page, dependencies }: Trip,
  { claims, cells }: CameBack,
  stored: StoredRecord | undefined,
  { lists, hasDecimalComma }: Way,
): readonly SpreadsheetColumn[] {
  const digest = fieldDigest(signerOfClaims(claims, dependencies.signer), claims.id);
  const way = { language: page.language, hasDecimalComma };
  return [...cells].flatMap(([column, cell]) => {
    const { field, isTaken } = column;
    const { name } = field.column;
    const kept = claims.shown[name];
    if (!isTaken || kept === undefined) return [];
    const now = stored ? comparable(field, stored.row[name] ?? null, page) : null;
    const shown = kept.startsWith("=") ? kept.slice(1) : now !== null && digest(name, now) === kept ? now : null;
    if (shown !== null)
      return isAsShown(cell, shown, field, { ...way, options: lists.get(name)?.options ?? [] }) ? [] : [column];
    return digest(name, normal(field.control, plainCell(cell))) === kept ? [] : [column];
  });
}

/** The columns that are read-only and in which something was typed: what they showed is known of records that nobody has changed since. */
export function typedForNothing(
  { page }: Trip,
  { claims, cells }: CameBack,
  stored: StoredRecord,
  { lists, hasDecimalComma }: Way,
): readonly SpreadsheetColumn[] {
  if (stored.version !== claims.row) return [];
  const way = { language: page.language, hasDecimalComma };
  return [...cells].flatMap(([column, cell]) => {
    const { field, isTaken } = column;
    // What stands for another table's record is known by its key only.
    if (isTaken || (field.choices !== null && !lists.has(field.column.name))) return [];
    const shown = comparable(field, stored.row[field.column.name] ?? null, page);
    return isAsShown(cell, shown, field, { ...way, options: lists.get(field.column.name)?.options ?? [] })
      ? []
      : [column];
  });
}

/** What a form would send for a cell. */
export function pairsFor(
  { page }: Trip,
  { field }: SpreadsheetColumn,
  cell: string,
  { lists, hasDecimalComma }: Way,
): Pairs {
  const { formName, column, choices, control } = field;
  if (controlKind(control).isBox) {
    const truth = truthOf(cell, page.language);
    return [[boxName(formName), ""], ...(truth === "false" ? [] : [[formName, truth ?? cell] as const])];
  }
  if (choices !== null)
    return [[formName, valueOfLabel(lists.get(column.name)?.options ?? [], cell) ?? plainCell(cell).trim()]];
  return [[formName, typedText(cell, field, { language: page.language, hasDecimalComma })]];
}
