import { type Unzipped, unzipSync, zipSync } from "fflate";
import { mostColumns, mostRows, type ReadTable, type Unreadable } from "./sheet.js";

/** So many bytes at most are unpacked, and so many parts: a small file may hold a great deal. */
const mostUnpacked = 64 * 1024 * 1024;
const mostParts = 200;

class TooMuch extends Error {}

/** The parts that tell of cells: not pictures, drawings, or a program. */
const isWanted = (name: string): boolean =>
  /\.(xml|rels)$/i.test(name) && !/\/(media|drawings|comments|charts|vba|printerSettings|externalLinks)/i.test(name);

/** How many rows a sheet names, empty ones among them: whoever reads it takes time for each. */
function rowsOf(xml: string): number {
  let count = 0;
  for (const _ of xml.matchAll(/<(?:\w{1,20}:)?row[\s/>]/g)) {
    count += 1;
    if (count > mostRows) break;
  }
  return count;
}

/**
 * Unpacks those parts within limits, and packs them anew as they are: whatever the file says of its sizes, the reader meets no more than that.
 *
 * @throws {TooMuch} beyond the limits
 */
function limited(bytes: Uint8Array): Uint8Array {
  let unpacked = 0;
  let parts = 0;
  const found: Unzipped = unzipSync(bytes, {
    filter({ name, originalSize }) {
      if (!isWanted(name)) return false;
      unpacked += originalSize;
      parts += 1;
      if (unpacked > mostUnpacked || parts > mostParts) throw new TooMuch();
      return true;
    },
  });
  const latin = new TextDecoder("latin1");
  for (const [name, part] of Object.entries(found)) {
    // A document type is none of a workbook's (ECMA-376 Part 2, 9.1.1): entities are declared in it.
    if (latin.decode(part.subarray(0, 4096)).includes("<!DOCTYPE")) throw new TooMuch();
    if (/\/worksheets\//.test(name) && rowsOf(latin.decode(part)) > mostRows) throw new TooMuch();
  }
  return zipSync(found, { level: 0 });
}

/** A date and time of day as ISO 8601 writes it, without what is nought; a time of day alone is counted from the last day of 1899. */
function momentText(moment: Date): string {
  const [day = "", time = ""] = moment.toISOString().replace("Z", "").split("T");
  const clock = time.replace(/\.000$/, "");
  if (day.startsWith("1899-") || day === "1900-01-00") return clock;
  return clock === "00:00:00" ? day : `${day}T${clock}`;
}

const textOf = (value: unknown): string =>
  value === null || value === undefined
    ? ""
    : value instanceof Date
      ? Number.isNaN(value.getTime())
        ? "#VALUE!"
        : momentText(value)
      : String(value);

/** Reads the first sheet of a workbook: values as they are kept in it, those of formulas as the spreadsheet has left them. Nothing is evaluated. */
export async function readXlsx(bytes: Uint8Array): Promise<ReadTable | Unreadable> {
  const { streamXlsxRows } = await import("hucre/xlsx");
  try {
    const rows: string[][] = [];
    for await (const { index, values } of streamXlsxRows(limited(bytes), { sheet: 0 })) {
      if (index >= mostRows || values.length > mostColumns) return "too-long";
      // Rows without any cell are not told of: their places are kept.
      while (rows.length < index) rows.push([]);
      rows.push(values.map(textOf));
    }
    while (rows.length > 0 && rows.at(-1)?.every((cell) => cell === "")) rows.pop();
    return rows.length === 0 ? "no-table" : { rows, hasDecimalComma: false, format: "xlsx" };
  } catch (error) {
    return error instanceof TooMuch ? "too-long" : "no-table";
  }
}
