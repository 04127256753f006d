import { columnOf, type Table } from "../table/model.js";

/*
 * What an index would take, before anybody makes it: from PostgreSQL's estimate of the rows and of the bytes that a column's values have. The figures for a
 * byte and a row are measured (docs/benchmarks.md); it is for telling a minute from an hour.
 */

/** An entry of a B-tree: its line pointer and header, values aligned to eight bytes; leaves are nine tenths full (PostgreSQL documentation, 64.1). */
const ofTree = (width: number): { readonly bytes: number; readonly microseconds: number } => ({
  bytes: (12 + 8 * Math.ceil(width / 8)) / 0.9,
  microseconds: 0.5 + 0.03 * width,
});

/** Of an index of trigrams: about one for each character, of which the common ones take little (documentation, F.33 and 64.4). */
const ofTrigrams = (width: number): { readonly bytes: number; readonly microseconds: number } => ({
  bytes: 1.5 * width,
  microseconds: 0.25 * width,
});

function toldBytes(bytes: number): string {
  if (bytes < 1e6) return "less than 1 MB";
  return bytes < 1e9 ? `about ${Math.round(bytes / 1e6)} MB` : `about ${(bytes / 1e9).toFixed(1)} GB`;
}

function toldTime(seconds: number): string {
  if (seconds < 1.5) return "a second";
  if (seconds < 90) return `${Math.round(seconds)} seconds`;
  return seconds < 5400 ? `${Math.round(seconds / 60)} minutes` : `${Math.round(seconds / 3600)} hours`;
}

/** The size of an index and the time to make it, in words; empty where PostgreSQL was never asked about the table's values. */
export function indexCost(table: Table, columns: readonly string[], trigrams = false): string {
  const widths = columns.map((name) => (columnOf(table, name) ? table.widths?.[name] : undefined));
  if (table.rows === null || !widths.every((width) => width !== undefined)) return "";
  const width = widths.reduce((sum, each) => sum + each, 0);
  const { bytes, microseconds } = trigrams ? ofTrigrams(width) : ofTree(width);
  return `${toldBytes(table.rows * bytes)}, made in about ${toldTime((table.rows * microseconds) / 1e6)}`;
}
