import { parse } from "csv-parse/sync";
import { mostColumns, mostRows, type ReadTable, type Unreadable } from "./sheet.js";

/** What bytes 80 to 9F are in Windows-1252 (WHATWG Encoding, index windows-1252); the decoder of Node.js 20 leaves them as they are. */
const windowsSigns = "€\x81‚ƒ„…†‡ˆ‰Š‹Œ\x8dŽ\x8f\x90‘’“”•–—˜™š›œ\x9džŸ";

const asWindows = (text: string): string =>
  text.replaceAll(/[\x80-\x9f]/g, (sign) => windowsSigns[sign.charCodeAt(0) - 0x80] ?? sign);

/** A text as a program shows it that takes UTF-8 for Windows-1252. */
export const misread = (text: string): string =>
  /^[\0-\x7f]*$/.test(text) ? text : asWindows(new TextDecoder("latin1").decode(new TextEncoder().encode(text)));

/** A text in whatever encoding a spreadsheet has saved it: UTF-8, UTF-16 by its mark, or Windows-1252 (WHATWG Encoding, 4). */
function decoded(bytes: Uint8Array): string {
  const [first, second] = bytes;
  if (first === 0xff && second === 0xfe) return new TextDecoder("utf-16le").decode(bytes);
  if (first === 0xfe && second === 0xff) return new TextDecoder("utf-16be").decode(bytes);
  try {
    return new TextDecoder("utf-8", { fatal: true }).decode(bytes);
  } catch {
    return asWindows(new TextDecoder("latin1").decode(bytes));
  }
}

/** What separates cells: of the first line's, outside of quotes, the most frequent one. */
function separatorOf(text: string): "," | ";" | "\t" {
  const [line = ""] = text
    .replaceAll(/"(?:[^"]|"")*"/g, "")
    .replace(/^[\r\n]+/, "")
    .split(/[\r\n]/, 1);
  const counted = ([";", "\t", ","] as const).map((each) => [each, line.split(each).length] as const);
  return counted.reduce((best, each) => (each[1] > best[1] ? each : best))[0];
}

/** Reads a CSV (RFC 4180) as any spreadsheet saves it. */
export function readCsv(bytes: Uint8Array): ReadTable | Unreadable {
  const text = decoded(bytes);
  if (text.includes("\0")) return "no-table";
  const separator = separatorOf(text);
  try {
    const rows = parse(text, {
      bom: true,
      delimiter: separator,
      relax_column_count: true,
      relax_quotes: true,
      // Whoever writes on where another program has begun may end lines in another way.
      record_delimiter: ["\r\n", "\n", "\r"],
      max_record_size: 1_000_000,
      to: mostRows + 1,
    }) as string[][];
    // What stands between is kept, so that rows are told by the numbers that a spreadsheet gives them.
    const isEmpty = (row?: readonly string[]): boolean => row?.every((cell) => cell === "") ?? false;
    while (isEmpty(rows[0])) rows.shift();
    while (isEmpty(rows.at(-1))) rows.pop();
    if (rows.length > mostRows || rows.some((row) => row.length > mostColumns)) return "too-long";
    return rows.length === 0 ? "no-table" : { rows, hasDecimalComma: separator === ";", format: "csv" };
  } catch {
    return "no-table";
  }
}
