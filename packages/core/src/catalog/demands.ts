import type { CheckConstraint, CheckedBy } from "../table/model.js";
import { fromLike, fromRegularExpression } from "./posix-pattern.js";

/**
 * Reads what a CHECK constraint demands of single columns, from the form in which `pg_get_constraintdef` prints it: ranges
 * against a constant, lengths, patterns and lists of values, joined by AND, or with `IS NULL` by OR. A part that is anything
 * else is left out: the table judges it all the same, only later.
 *
 * @param definition `CHECK (((channel >= 1) AND (channel <= 16)))`
 */
export function demandsOf(constraint: string, definition: string, columns: readonly string[]): CheckConstraint[] {
  const inner = /^CHECK \((.*)\)( NOT VALID| NO INHERIT)*$/s.exec(definition)?.[1];
  if (inner === undefined || / NOT VALID/.test(definition.slice(inner.length))) return [];
  return partsOf(inner, "AND").flatMap((part) => demandsIn(part, columns).map((demand) => ({ constraint, ...demand })));
}

/** How deep in parentheses each character stands, after it; within quotes as deep as before them. */
function depths(text: string): number[] {
  let [depth, quoted] = [0, false];
  return [...text].map((character) => {
    if (character === "'" || character === '"') quoted = !quoted;
    else if (!quoted && character === "(") depth += 1;
    else if (!quoted && character === ")") depth -= 1;
    // What is quoted is deeper than anything that is looked for.
    return quoted ? depth + 1 : depth;
  });
}

/** A text without parentheses around the whole of it. */
export function bare(given: string): string {
  const text = given.trim();
  const wrapped = text.startsWith("(") && depths(text).indexOf(0) === [...text].length - 1;
  return wrapped ? bare(text.slice(1, -1)) : text;
}

/** The parts of a text between ANDs, or ORs, that stand outside of all parentheses and quotes. */
export function partsOf(given: string, word: "AND" | "OR"): string[] {
  const text = bare(given);
  const levels = depths(text);
  const between = [...text.matchAll(new RegExp(` ${word} `, "g"))].find(
    (match) => levels[[...text.slice(0, match.index)].length] === 0,
  );
  if (!between) return [text];
  return [text.slice(0, between.index), text.slice(between.index + between[0].length)].flatMap((part) =>
    partsOf(part, word),
  );
}

const unquoted = (name: string): string => (name.startsWith('"') ? name.slice(1, -1).replaceAll('""', '"') : name);

/** A column, bare or cast to what loses nothing of it, as a domain's is to its own type: `status`, `"Status"`, `(status)::text`, `(share)::numeric`. */
function columnIn(text: string, columns: readonly string[]): string | undefined {
  const name = unquoted(bare(text.replace(/::(text|character varying|bpchar|numeric)$/, "")));
  return columns.find((column) => column === name);
}

/** A text without the casts and parentheses around it. */
function plain(text: string): string {
  const stripped = bare(text.replace(/::[\w ".]+(\(\d+(,\d+)?\))?(\[\])?$/, ""));
  return stripped === text ? text : plain(stripped);
}

/** A constant: `16`, `'-1'::integer`, `('0.5'::numeric)`, `'a'::text`. */
function constantIn(text: string): string | undefined {
  const stripped = plain(bare(text));
  if (/^-?\d+(\.\d+)?$/.test(stripped)) return stripped;
  return /^'((?:[^'\\]|'')*)'$/.exec(stripped)?.[1]?.replaceAll("''", "'");
}

/** What one comparison demands. */
type Demand = Pick<CheckConstraint, "column" | "by" | "values">;

/** The values of `status = ANY (ARRAY['new'::text, …])`. Those of `citext` are the same in either case. */
function listIn(part: string, columns: readonly string[]): Demand | undefined {
  const list = /^(.+?) = ANY \((?:\()?ARRAY\[(.*?)\](?:\)::[\w ]+\[\])?\)$/s.exec(part);
  if (!list || part.includes("::citext")) return undefined;
  const column = columnIn(list[1] ?? "", columns);
  const values = (list[2] ?? "").match(/'(?:[^'\\]|'')*'(?:::[\w ]+)?|[^,\s][^,]*/g)?.map(constantIn) ?? [];
  if (column === undefined || values.length === 0 || values.includes(undefined)) return undefined;
  return { column, by: "in", values: values as string[] };
}

/** A text as it stands between quotes, and its type: a backslash stands for itself, as every connection is told (`standard_conforming_strings`). */
function textIn(text: string): { readonly text: string; readonly isCitext: boolean } | undefined {
  const [, quotedText, cast] = /^'((?:[^']|'')*)'::(text|citext)$/.exec(bare(text)) ?? [];
  return quotedText === undefined ? undefined : { text: quotedText.replaceAll("''", "'"), isCitext: cast === "citext" };
}

/** `code ~ '^[A-Z]{2}$'::text`, and `code ~~ 'MV-%'::text`, which is LIKE. */
function patternIn([left, by, right]: Comparison, columns: readonly string[]): Demand | undefined {
  const column = columnIn(left, columns);
  const source = textIn(right);
  if (column === undefined || !source) return undefined;
  const { text, isCitext } = source;
  const isLike = by === "~~";
  const ignoresCase = isCitext || by === "~*";
  const matches = isLike ? (isCitext ? null : fromLike(text)) : fromRegularExpression(text, ignoresCase);
  const words = `${isLike ? "LIKE" : "pattern"} ${text}${ignoresCase ? " in either case" : ""}`;
  return matches === null ? undefined : { column, by: "matches", values: [matches, words] };
}

/** What is compared with what: `char_length(name)`, `<=`, `80`. */
type Comparison = readonly [left: string, by: string, right: string];

function comparisonIn(part: string): Comparison | undefined {
  const levels = depths(part);
  const sign = [...part.matchAll(/ (>=|<=|<>|=|>|<|~~|~\*|~) /g)].find(
    (match) => levels[[...part.slice(0, match.index)].length] === 0,
  );
  return sign && [part.slice(0, sign.index), sign[1] ?? "", part.slice(sign.index + sign[0].length)];
}

const turned: Readonly<Record<string, string>> = { ">=": "<=", "<=": ">=", ">": "<", "<": ">", "=": "=", "<>": "<>" };

/** What `count >= bound` demands, and its like, as at least and at most so many. */
const counted = (by: string, bound: number): readonly (readonly [">=" | "<=", number])[] => {
  if (by === ">=" || by === "<=") return [[by, bound]];
  if (by === ">") return [[">=", bound + 1]];
  if (by === "<") return [["<=", bound - 1]];
  if (by === "=")
    return [
      [">=", bound],
      ["<=", bound],
    ];
  return by === "<>" && bound === 0 ? [[">=", 1]] : [];
};

/** `length(name) <= 80`, `octet_length(photo) <= 1000000`, `length(btrim(name)) > 0`. */
function lengthIn([left, by, right]: Comparison, columns: readonly string[]): readonly Demand[] {
  const [, name, of = ""] = /^(length|char_length|character_length|octet_length)\((.+)\)$/s.exec(bare(left)) ?? [];
  const bound = constantIn(right);
  if (name === undefined || bound === undefined || !/^\d{1,9}$/.test(bound)) return [];
  const demands = counted(by, Number(bound));
  const trimmed = trimmedIn(of, columns);
  // What is trimmed is there at all; how much of it is left is for the table to say.
  if (trimmed !== undefined && name !== "octet_length")
    return demands.some(([side, least]) => side === ">=" && least > 0)
      ? [{ column: trimmed, by: "not blank", values: [] }]
      : [];
  const column = columnIn(of, columns);
  if (column === undefined) return [];
  return demands.flatMap(([side, count]): Demand[] => {
    if (name !== "octet_length") return [{ column, by: `characters ${side}`, values: [String(count)] }];
    return side === "<=" ? [{ column, by: "bytes <=", values: [String(count)] }] : [];
  });
}

/** The column of `btrim(name)` or `TRIM(BOTH FROM name)`. */
function trimmedIn(text: string, columns: readonly string[]): string | undefined {
  const [, of] = /^(?:btrim\(|TRIM\(BOTH FROM )(.+)\)$/s.exec(bare(text)) ?? [];
  return of === undefined ? undefined : columnIn(of, columns);
}

/** What `column <> ''` demands, and `btrim(column) <> ''`. */
function notEmptyIn(left: string, columns: readonly string[]): Demand | undefined {
  const column = columnIn(left, columns);
  if (column !== undefined) return { column, by: "characters >=", values: ["1"] };
  const trimmed = trimmedIn(left, columns);
  return trimmed === undefined ? undefined : { column: trimmed, by: "not blank", values: [] };
}

/** `discount % 5 = 0`. */
function stepIn([left, by, right]: Comparison, columns: readonly string[]): readonly Demand[] {
  if (by !== "=" || constantIn(right) !== "0") return [];
  const [, of = "", step = ""] = /^(.+) % (.+)$/s.exec(bare(left)) ?? /^mod\((.+), (.+)\)$/s.exec(bare(left)) ?? [];
  const column = columnIn(of, columns);
  const value = constantIn(step);
  return column !== undefined && value !== undefined && /^\d+(\.\d+)?$/.test(value) && Number(value) > 0
    ? [{ column, by: "step", values: [value] }]
    : [];
}

function comparedIn(comparison: Comparison, columns: readonly string[]): readonly Demand[] {
  const [left, by, right] = comparison;
  if (by.startsWith("~")) return [patternIn(comparison, columns) ?? []].flat();
  const made = [...lengthIn(comparison, columns), ...stepIn(comparison, columns)];
  if (made.length > 0) return made;
  const bound = constantIn(right);
  if (bound === undefined) return [];
  if (by === "<>") return bound === "" ? [notEmptyIn(left, columns) ?? []].flat() : [];
  const column = columnIn(left, columns);
  if (column === undefined) return [];
  if (by === "=") return right.includes("::citext") ? [] : [{ column, by: "in", values: [bound] }];
  return [{ column, by: by as CheckedBy, values: [bound] }];
}

/**
 * What one part demands. Of alternatives one is that there is no value, which no demand is about (`price IS NULL OR price > 0`), or all name values
 * of one column.
 */
function demandsIn(part: string, columns: readonly string[]): readonly Demand[] {
  const alternatives = partsOf(part, "OR");
  if (alternatives.length > 1) {
    const missing = alternatives.map((each) => columnIn(/^(.+) IS NULL$/s.exec(each)?.[1] ?? "", columns));
    const others = alternatives.filter((_, index) => missing[index] === undefined);
    const demands = others.map((each) => partsOf(each, "AND").flatMap((one) => demandsIn(one, columns)));
    const [first, ...rest] = demands;
    if (!first) return [];
    const isOf = ({ column }: Demand): boolean => missing.every((each) => each === undefined || each === column);
    if (rest.length === 0) return first.filter(isOf);
    const lists = demands.map((each) => (each.length === 1 && each[0]?.by === "in" ? each[0] : undefined));
    const column = lists[0]?.column;
    if (!lists.every((each) => each !== undefined && each.column === column && isOf(each))) return [];
    return [{ column: column ?? "", by: "in", values: lists.flatMap((each) => each?.values ?? []) }];
  }
  const list = listIn(part, columns);
  if (list) return [list];
  const comparison = comparisonIn(part);
  if (!comparison) return [];
  const [left, by, right] = comparison;
  const other = turned[by];
  // A constant may stand first: `0 < price`.
  return other !== undefined && constantIn(left) !== undefined && constantIn(right) === undefined
    ? comparedIn([right, other, left], columns)
    : comparedIn(comparison, columns);
}
