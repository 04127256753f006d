import type { CheckConstraint } from "../table/model.js";
import { bare, type Comparison, columnIn, constantIn } from "./check-text.js";
import {
  containing,
  excludingLike,
  excludingRegularExpression,
  fromLike,
  fromRegularExpression,
  startingWith,
} from "./posix-pattern.js";

/* What a part of a CHECK demands of texts: that they match a pattern, in the words of RE2 for the whole text. */

/** What one comparison demands. */
export type Demand = Pick<CheckConstraint, "column" | "by" | "values">;

/** Collations of which no pattern depends on anything that ours would not take. */
const plainCollation = / COLLATE (?:"C"|"POSIX"|pg_catalog\."default"|"default")$/;

const uncollated = (text: string): string => bare(bare(text).replace(plainCollation, ""));

/** A text as it stands between quotes, and its type: a backslash stands for itself, as every connection is told (`standard_conforming_strings`). */
function textIn(text: string): { readonly text: string; readonly isCitext: boolean } | undefined {
  const [, quotedText, cast] = /^'((?:[^']|'')*)'::(text|citext)$/.exec(uncollated(text)) ?? [];
  return quotedText === undefined ? undefined : { text: quotedText.replaceAll("''", "'"), isCitext: cast === "citext" };
}

/** What each operator for patterns is in words, and how its pattern is said in RE2's words. */
const readings: Readonly<Record<string, readonly [words: string, read: (source: string) => string | null]>> = {
  "~": ["pattern", (source) => fromRegularExpression(source, false)],
  "~*": ["pattern", (source) => fromRegularExpression(source, true)],
  "!~": ["not pattern", excludingRegularExpression],
  "~~": ["LIKE", (source) => fromLike(source, false)],
  "~~*": ["LIKE", (source) => fromLike(source, true)],
  "!~~": ["NOT LIKE", excludingLike],
};

/** `code ~ '^[A-Z]{2}$'::text`, and `code ~~ 'MV-%'::text`, which is LIKE; without an operator of patterns nothing. */
export function patternIn([left, by, right]: Comparison, columns: readonly string[]): Demand | undefined {
  const column = columnIn(uncollated(left), columns);
  const source = textIn(right);
  if (column === undefined || !source) return undefined;
  if (by === "^@") return startIn(column, source);
  // Without regard to case two of them are others: what is the same as the one for a plain text is left.
  const inEitherCase: Readonly<Record<string, string>> = { "~": "~*", "~*": "~*", "~~": "~~*", "~~*": "~~*" };
  const reading = readings[source.isCitext ? (inEitherCase[by] ?? "") : by];
  if (!reading) return undefined;
  const [words, read] = reading;
  const matches = read(source.text);
  const either = source.isCitext || by.endsWith("*") ? " in either case" : "";
  if (matches === null) return undefined;
  const told = [matches, `${words} ${source.text}${either}`];
  // Of characters that may be nowhere the first one is told.
  return {
    column,
    by: "matches",
    values: isOfCharacters(matches) && by.startsWith("!") ? [...told, "must-not-contain"] : told,
  };
}

/** Whether a pattern says of each character alone whether it may be there. */
const isOfCharacters = (matches: string): boolean => /^\[(?:[^\]\\]|\\.)+\]\*$/.test(matches);

const startIn = (column: string, { text, isCitext }: { readonly text: string; readonly isCitext: boolean }) =>
  isCitext
    ? undefined
    : ({
        column,
        by: "matches",
        values: [startingWith(text), `starts with ${text}`, "must-start-with", text],
      } as const);

/** `starts_with(code, 'MV-'::text)`. */
export function startsIn(part: string, columns: readonly string[]): Demand | undefined {
  const [, of = "", start = ""] = /^starts_with\((.+), ('(?:[^']|'')*'::text)\)$/s.exec(bare(part)) ?? [];
  const column = columnIn(of, columns);
  const text = textIn(start);
  return column === undefined || !text ? undefined : startIn(column, text);
}

/** The column of `btrim(name)` or `TRIM(BOTH FROM name)`. */
export function trimmedIn(text: string, columns: readonly string[]): string | undefined {
  const [, of] = /^(?:btrim\(|TRIM\(BOTH FROM )(.+)\)$/s.exec(bare(text)) ?? [];
  return of === undefined ? undefined : columnIn(uncollated(of), columns);
}

/**
 * Texts that are the same after something was done to them: what is said of those that aren't, and by which pattern, which takes more where a
 * locale has letters of its own.
 */
const kept: Readonly<Record<string, readonly [matches: string, words: string, code: string]>> = {
  upper: ["[^a-z]*", "upper case", "upper-case"],
  lower: ["[^A-Z]*", "lower case", "lower-case"],
  btrim: ["(?:[^ ]|[^ ][\\s\\S]*[^ ])?", "no space at its beginning or end", "spaces-around"],
};

/** `upper(code) = code`, `lower(mail) = mail`, `btrim(name) = name`, either way round. */
export function keptIn([left, by, right]: Comparison, columns: readonly string[]): Demand | undefined {
  if (by !== "=" || `${left}${right}`.includes("citext")) return undefined;
  for (const [made, other] of [
    [left, right],
    [right, left],
  ] as const) {
    const [, name = "", of = ""] = /^(upper|lower)\((.+)\)$/s.exec(uncollated(made)) ?? [];
    const trimmed = trimmedIn(uncollated(made), columns);
    const column = trimmed ?? columnIn(uncollated(of), columns);
    const demand = kept[trimmed === undefined ? name : "btrim"];
    if (demand && column !== undefined && column === columnIn(uncollated(other), columns))
      return { column, by: "matches", values: demand };
  }
  return undefined;
}

/** What `column <> ''` demands, and `btrim(column) <> ''`. */
export function notEmptyIn(left: string, columns: readonly string[]): Demand | undefined {
  const column = columnIn(left, columns);
  if (column !== undefined) return { column, by: "characters >=", values: ["1"] };
  const trimmed = trimmedIn(left, columns);
  return trimmed === undefined ? undefined : { column: trimmed, by: "not blank", values: [] };
}

/** `strpos(mail, '@') > 0`, and `POSITION('@' IN mail) > 0`. */
export function positionIn([left, by, right]: Comparison, columns: readonly string[]): Demand | undefined {
  const asked = bare(left);
  const called = /^strpos\((?<of>.+), (?<part>'(?:[^']|'')*'::text)\)$/s.exec(asked);
  const { of = "", part = "" } =
    (called ?? /^POSITION\(\((?<part>'(?:[^']|'')*'::text)\) IN \((?<of>.+)\)\)$/s.exec(asked))?.groups ?? {};
  const column = columnIn(uncollated(of), columns);
  const text = textIn(part)?.text;
  const isThere = (by === ">" && constantIn(right) === "0") || (by === ">=" && constantIn(right) === "1");
  if (column === undefined || !text || !isThere) return undefined;
  return { column, by: "matches", values: [containing(text), `contains ${text}`, "must-contain", text] };
}
