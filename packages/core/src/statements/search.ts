import { word } from "../messages/messages.js";
import type { Page } from "../page/page.js";
import type { Parameters } from "../postgres/statement.js";
import { textForm } from "../postgres/text-form.js";
import type { Column } from "../table/model.js";
import { inLanguageSql } from "../values/in-language.js";

/** A text for LIKE that stands for itself: its wildcards escaped. */
export const literally = (text: string): string => text.replaceAll(/[\\%_]/g, (character) => `\\${character}`);

/** At most this many words of a search are looked for. */
const mostWords = 20;

/**
 * That every word of a search occurs somewhere in the texts, without regard to case: in one of them or in several.
 *
 * @param texts SQL expressions of type text
 */
export function containing(texts: readonly string[], search: string, parameters: Parameters): string {
  const words = search.split(/\s+/).filter((each) => each !== "");
  const found = words.slice(0, mostWords).map((each) => {
    const pattern = parameters.add(`%${literally(each)}%`, "text");
    return `(${texts.map((text) => `${text} ILIKE ${pattern}`).join(" OR ")})`;
  });
  return found.join(" AND ");
}

/** A column's value as a list of the page tells it (see `controls/told.ts`): what can be seen can be found. */
export function toldText(page: Page, alias: string, column: Column, parameters: Parameters): string {
  const text = textForm(alias, column);
  switch (column.type.kind) {
    case "boolean": {
      const [yes, no] = [word(page.language, "yes"), word(page.language, "no")];
      return `(CASE ${text} WHEN 'true' THEN ${parameters.add(yes, "text")} WHEN 'false' THEN ${parameters.add(no, "text")} END)`;
    }
    case "timestamptz":
      return inLanguageSql(
        "timestamptz",
        `(${text}::timestamptz AT TIME ZONE ${parameters.add(page.timeZone, "text")})::text`,
        page.language,
      );
    default:
      return inLanguageSql(column.type.kind, text, page.language);
  }
}
