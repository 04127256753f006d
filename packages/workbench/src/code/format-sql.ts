import { formatDialect, postgresql } from "sql-formatter";

/** A statement laid out for reading: the same tokens in the same order, on lines of their own. As it is where it can't be read. */
export function formatSql(text: string): string {
  try {
    return formatDialect(text, { dialect: postgresql, tabWidth: 2, expressionWidth: 72 });
  } catch {
    return text;
  }
}
