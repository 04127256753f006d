import { stringify } from "csv-stringify/sync";

/** A field of a CSV file; `isText` for what people have typed, which a spreadsheet must not take for a formula. */
export interface CsvField {
  readonly text: string;
  readonly isText: boolean;
}

/** What a spreadsheet takes for a formula: it passes over white space before the sign, and some begin one at white space itself. */
const formula = /^\s*[=+\-@＝＋－＠]|^[\t\r\n]/u;

/**
 * Records of a CSV file, each with its line's end (RFC 4180, 2). A text that begins like a formula gets an apostrophe before it.
 */
export const csvLines = (records: readonly (readonly CsvField[])[]): string =>
  stringify(
    records.map((fields) => fields.map(({ text, isText }) => (isText && formula.test(text) ? `'${text}` : text))),
    // A line's end of any kind is part of the field. A file that begins with the letters ID is taken for one of another kind (SYLK) by some spreadsheets.
    { record_delimiter: "windows", quoted_match: /[\r\n]|^ID/ },
  );
