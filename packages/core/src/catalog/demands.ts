import type { CheckConstraint, CheckedBy } from "../table/model.js";
import { bare, type Comparison, columnIn, comparisonIn, constantIn, partsOf } from "./check-text.js";
import { type Demand, keptIn, notEmptyIn, patternIn, positionIn, startsIn, trimmedIn } from "./text-demands.js";

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

/** The values of `status = ANY (ARRAY['new'::text, …])`. Those of `citext` are the same in either case. */
function listIn(part: string, columns: readonly string[]): Demand | undefined {
  const list = /^(.+?) = ANY \((?:\()?ARRAY\[(.*?)\](?:\)::[\w ]+\[\])?\)$/s.exec(part);
  if (!list || part.includes("::citext")) return undefined;
  const column = columnIn(list[1] ?? "", columns);
  const values = (list[2] ?? "").match(/'(?:[^'\\]|'')*'(?:::[\w ]+)?|[^,\s][^,]*/g)?.map(constantIn) ?? [];
  if (column === undefined || values.length === 0 || values.includes(undefined)) return undefined;
  return { column, by: "in", values: values as string[] };
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
  const ofText = patternIn(comparison, columns) ?? keptIn(comparison, columns) ?? positionIn(comparison, columns);
  if (ofText) return [ofText];
  const made = [...lengthIn(comparison, columns), ...stepIn(comparison, columns)];
  if (made.length > 0) return made;
  const bound = constantIn(right);
  if (bound === undefined) return [];
  if (by === "<>") return bound === "" ? [notEmptyIn(left, columns) ?? []].flat() : [];
  const column = columnIn(left, columns);
  if (column === undefined) return [];
  if (by === "=") return right.includes("::citext") ? [] : [{ column, by: "in", values: [bound] }];
  return [">=", "<=", ">", "<"].includes(by) ? [{ column, by: by as CheckedBy, values: [bound] }] : [];
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
  if (!comparison) return [startsIn(part, columns) ?? []].flat();
  const [left, by, right] = comparison;
  const other = turned[by];
  // A constant may stand first: `0 < price`.
  return other !== undefined && constantIn(left) !== undefined && constantIn(right) === undefined
    ? comparedIn([right, other, left], columns)
    : comparedIn(comparison, columns);
}

/** Whether what is demanded of single columns is all that a part says. */
export function isDemanded(part: string, columns: readonly string[]): boolean {
  if (demandsIn(part, columns).length === 0) return false;
  const others = partsOf(part, "OR").filter((each) => !/ IS NULL$/.test(each));
  const ofOne = partsOf(others[0] ?? "", "AND");
  return others.length !== 1 || ofOne.length === 1 || ofOne.every((each) => isDemanded(each, columns));
}
