/** A field of a CSV file; `isText` for what people have typed, which a spreadsheet must not take for a formula. */
export interface CsvField {
  readonly text: string;
  readonly isText: boolean;
}

/**
 * A field as it is written: in quotes where it holds a comma, a quote or a line break (RFC 4180, 2). A text that begins like a formula
 * gets an apostrophe before it.
 */
function written({ text, isText }: CsvField): string {
  const safe = isText && /^[=+\-@\t\r\n|%]/.test(text) ? `'${text}` : text;
  return /[",\r\n]/.test(safe) ? `"${safe.replaceAll('"', '""')}"` : safe;
}

/** A record of a CSV file, with its line's end (RFC 4180, 2). */
export const csvLine = (fields: readonly CsvField[]): string => `${fields.map(written).join(",")}\r\n`;
