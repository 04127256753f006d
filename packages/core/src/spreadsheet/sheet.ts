/*
 * A table on its way into a file, and out of one: what stands in its cells, and what a spreadsheet is told of its columns. CSV has the texts alone.
 */

/** In which form a table goes out and comes back. */
export const fileFormats = ["csv", "xlsx"] as const;
export type FileFormat = (typeof fileFormats)[number];

export const mediaTypes: Readonly<Record<FileFormat, string>> = {
  csv: "text/csv; charset=utf-8; header=present",
  xlsx: "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
};

/** What a cell holds. */
export interface SheetCell {
  readonly text: string;
  /** Whether people may have typed it: a CSV keeps it from being taken for a formula. */
  readonly isText: boolean;
  /** As a number, or as a date and time of day in UTC, where a spreadsheet can hold it exactly. */
  readonly real?: number | Date;
  /** What is said of it; null where nothing is. */
  readonly note?: string | null;
}

/** What a spreadsheet lets be typed. Bounds are included. */
export type SheetDemand =
  | { readonly is: "choice"; readonly options: readonly string[] }
  | { readonly is: "whole" | "decimal"; readonly least: string | null; readonly most: string | null }
  | { readonly is: "length"; readonly most: number };

export interface SheetColumn {
  readonly heading: string;
  /** Whether its cells may be changed. */
  readonly isOpen: boolean;
  /** What is said at its heading. */
  readonly note: string | null;
  /** How its cells are shown (ECMA-376 Part 1, 18.8.31). */
  readonly format: string;
  /** In characters. */
  readonly width: number;
  readonly demand: SheetDemand | null;
  /** What is said where the demand isn't met. */
  readonly refusal: string;
  readonly mayBeEmpty: boolean;
  /** Whether its text is cut off at the cell's edge rather than shown over the next one. */
  readonly isCut?: boolean;
}

export interface Sheet {
  readonly name: string;
  readonly isRightToLeft: boolean;
  readonly columns: readonly SheetColumn[];
  readonly rows: readonly (readonly SheetCell[])[];
}

/** A file's rows as texts, and how its numbers may be written. */
export interface ReadTable {
  readonly rows: readonly (readonly string[])[];
  /** Whether the comma may stand before decimals, as where cells are separated by semicolons. */
  readonly hasDecimalComma: boolean;
  readonly format: FileFormat;
}

/** What can't be read of a file. */
export type Unreadable = "too-long" | "no-table";

/** Rows and columns at most: a file of a million empty rows is none of ours. */
export const mostRows = 20_000;
export const mostColumns = 500;
