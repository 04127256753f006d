import { readCsv } from "./read-csv.js";
import { readXlsx } from "./read-xlsx.js";
import type { ReadTable, Unreadable } from "./sheet.js";

/** What every ZIP archive begins with, and so every workbook (APPNOTE.TXT, 4.3.7). */
const isArchive = ([a, b, c, d]: Uint8Array): boolean => a === 0x50 && b === 0x4b && c === 0x03 && d === 0x04;

/** Reads a CSV or a workbook (.xlsx), whatever it is called. */
export const readTable = async (bytes: Uint8Array): Promise<ReadTable | Unreadable> =>
  isArchive(bytes) ? readXlsx(bytes) : readCsv(bytes);
