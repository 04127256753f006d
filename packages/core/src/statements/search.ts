import { word } from "../messages/messages.js";
import type { Page } from "../page/page.js";
import { Parameters, type Row, type Statement } from "../postgres/statement.js";
import { textForm } from "../postgres/text-form.js";
import type { Column } from "../table/model.js";
import { inLanguageSql } from "../values/in-language.js";

/** A text for LIKE that stands for itself: its wildcards escaped. */
export const literally = (text: string): string => text.replaceAll(/[\\%_]/g, (character) => `\\${character}`);

/** At most this many words of a search are looked for. */
const mostWords = 20;

/** The words of a search: what stands between white space. */
export const wordsOf = (search: string): readonly string[] =>
  search
    .split(/\s+/)
    .filter((each) => each !== "")
    .slice(0, mostWords);

/**
 * That every word of a search occurs somewhere in the texts, without regard to case: in one of them or in several.
 *
 * @param texts SQL expressions of type text
 * @param common words of the search that no index is to be asked for: those are looked for only in what the other words leave
 */
export function containing(
  texts: readonly string[],
  search: string,
  parameters: Parameters,
  common: readonly string[] = [],
): string {
  const found = wordsOf(search).map((each) => {
    const pattern = parameters.add(`%${literally(each)}%`, "text");
    // An index of a column is not one of an expression.
    const lookedIn = common.includes(each) ? texts.map((text) => `(${text} || '')`) : texts;
    return `(${lookedIn.map((text) => `${text} ILIKE ${pattern}`).join(" OR ")})`;
  });
  return found.join(" AND ");
}

/** The columns of text of a page's list that an index of trigrams helps a search in. */
const helped = ({ table, list }: Page): readonly Column[] =>
  (list.search ?? list.columns.map(({ column }) => column)).filter(({ name }) => table.trigrams?.includes(name));

/** A word counts as common that is in more than this share of a column's values, as PostgreSQL's statistics sample them. */
const commonShare = 0.05;

/**
 * Which words of a search are in so many values that an index of trigrams is no help with them: it would be read for each word as a whole,
 * the common ones too, which takes the longest. Null where there is nothing to ask: of one word, or without such an index.
 */
export function commonWordsStatement(page: Page, search: string): Statement | null {
  const words = wordsOf(search);
  const columns = helped(page);
  if (words.length < 2 || columns.length === 0) return null;
  const parameters = new Parameters();
  const patterns = words.map((each) => parameters.add(`%${literally(each)}%`, "text")).join(", ");
  const names = columns.map(({ name }) => parameters.add(name, "text")).join(", ");
  const [schema, table] = [page.table.schema, page.table.name].map((name) => parameters.add(name, "text"));
  return {
    purpose: "common words",
    text: `SELECT w.number::text AS "word"
FROM unnest(ARRAY[${patterns}]) WITH ORDINALITY AS w(pattern, number)
WHERE EXISTS (SELECT FROM pg_stats AS s WHERE s.schemaname = ${schema} AND s.tablename = ${table} AND s.attname IN (${names})
  AND (SELECT avg((v.sampled ILIKE w.pattern)::integer) > ${commonShare}
    FROM unnest(coalesce(s.histogram_bounds, s.most_common_vals)::text::text[]) AS v(sampled)))`,
    values: parameters.values,
  };
}

/** The common words, from the answer; none where all are, since one must lead. */
export function commonWords(search: string, rows: readonly Row[]): readonly string[] {
  const words = wordsOf(search);
  const common = rows.flatMap(({ word: number }) => words[Number(number) - 1] ?? []);
  return words.every((each) => common.includes(each)) ? [] : common;
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
