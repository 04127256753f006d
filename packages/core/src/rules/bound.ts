import Big from "big.js";
import * as v from "valibot";
import { literal } from "../postgres/literal.js";
import { quoted } from "../postgres/statement.js";
import type { CheckConstraint, Column, Kind, Table } from "../table/model.js";
import { integerRanges } from "../values/integer-ranges.js";
import { orderOf } from "../values/order.js";
import { demandsOf, numbers, ordered, type Reviewed, type Rule, type RuleKind, takeOffRule } from "./rule.js";

export interface Bound {
  readonly bound: string;
  /** Whether it says no more than the column's type does: the range of a whole number. */
  readonly ofType?: true;
}

/** What tells a minimum from a maximum. */
interface Side {
  readonly name: "min" | "max";
  readonly label: string;
  readonly opposite: "min" | "max";
  /** Which order of value and bound breaks it. */
  readonly outside: -1 | 1;
  readonly inclusive: ">=" | "<=";
  readonly exclusive: ">" | "<";
}

export const setting = v.union([v.number(), v.pipe(v.string(), v.maxLength(64))]);

/** Kinds whose values have no order that a bound could be put into. */
const unordered: ReadonlySet<Kind> = new Set(["text", "boolean", "enum", "json", "uuid", "other"]);

const isBeyond = (side: Side, value: string, bound: string, kind: Kind): boolean =>
  Math.sign(orderOf(value, bound, kind) ?? 0) === side.outside;

/** The greatest number of a `numeric(p,s)`; a scale below zero rounds to tens, hundreds and so on. */
function greatest(precision: number, scale: number): string {
  const whole = "9".repeat(Math.max(0, precision - scale)) || "0";
  return scale > 0 ? `${whole}.${"9".repeat(scale)}` : whole;
}

/** The next number beyond a bound among those that the column can hold; null where there is no such. */
function beyond(bound: string, column: Column, by: ">" | "<"): string | null {
  const { kind, scale } = column.type;
  if (!/^-?\d+(\.\d+)?$/.test(bound)) return null;
  if (kind !== "integer" && (kind !== "decimal" || scale === null || scale < 0)) return null;
  const step = new Big(10).pow(-(kind === "integer" ? 0 : (scale ?? 0)));
  return (by === ">" ? new Big(bound).plus(step) : new Big(bound).minus(step)).toFixed();
}

/** A CHECK's range as a bound; nothing where it can't be put as one, then the table alone judges. */
function ofCheck(side: Side, { by, values }: CheckConstraint, column: Column): Bound[] {
  const [bound = ""] = values;
  if (by === side.inclusive) return [{ bound }];
  if (by !== side.exclusive) return [];
  const limit = beyond(bound, column, by);
  return limit === null ? [] : [{ bound: limit }];
}

/** Of what the table demands, the strictest: it alone is told of a value that is beyond several. */
function ofTable(side: Side, table: Table, column: Column): Bound[] {
  const { kind, precision, scale, cast } = column.type;
  const range = integerRanges[cast]?.[side.name];
  // Texts are ordered by their collation, an interval, a sum or an address by what they stand for.
  const checks = ordered.includes(kind) ? table.demands.filter((each) => each.column === column.name) : [];
  const limit = kind === "decimal" && precision !== null && scale !== null ? greatest(precision, scale) : undefined;
  const all: readonly Bound[] = [
    ...(limit === undefined ? [] : [{ bound: side.name === "min" ? `-${limit}` : limit }]),
    ...(range === undefined ? [] : [{ bound: range, ofType: true as const }]),
    ...checks.flatMap((each) => ofCheck(side, each, column)),
  ];
  return all.toSorted((a, b) => side.outside * (orderOf(a.bound, b.bound, kind) ?? 0)).slice(0, 1);
}

const bounds = (rules: readonly Rule[], from: Rule["from"], name: "min" | "max"): string[] =>
  demandsOf<Bound>(rules, { name }).flatMap((each) =>
    each.from === from && each.when === null ? [each.demand.bound] : [],
  );

/** A range of the page against the table's: one that reaches further is idle, one beside it lets nothing through. */
function review(side: Side, { bound }: Bound, { column, rules, path, say }: Reviewed): void {
  const { kind, shown } = column.type;
  const isMin = side.name === "min";
  if (unordered.has(kind)) {
    say(
      "error",
      "contradiction",
      `A ${shown} has no order in which there could be a ${side.label.toLowerCase()}.`,
      path,
      { repair: takeOffRule(path) },
    );
    return;
  }
  const beyondBy = (limit: string, order: number): boolean => Math.sign(orderOf(bound, limit, kind) ?? 0) === order;
  const opposite = [...bounds(rules, "table", side.opposite), ...bounds(rules, "page", side.opposite)];
  const outside = opposite.find((limit) => beyondBy(limit, -side.outside));
  if (outside !== undefined) {
    say(
      "error",
      "contradiction",
      `No value can be ${isMin ? "at least" : "at most"} ${bound} and ${isMin ? "at most" : "at least"} ${outside} at once.`,
      path,
      { repair: takeOffRule(path) },
    );
    return;
  }
  const looser = bounds(rules, "table", side.name).find((limit) => beyondBy(limit, side.outside));
  if (looser !== undefined)
    say(
      "warning",
      "looser-than-table",
      `The table takes ${isMin ? "nothing below" : "nothing above"} ${looser}, so the rule's ${bound} says nothing.`,
      path,
      { repair: takeOffRule(path) },
    );
}

/** A whole number is compared with a bound that may have digits after the point. */
const castOf = ({ type }: Column): string =>
  type.kind === "integer" || type.kind === "decimal" ? "numeric" : type.cast;

/** Minimum and maximum are one rule, seen from two sides. */
export const boundRule = (side: Side, means: string): RuleKind<Bound, string | number> => ({
  name: side.name,
  label: side.label,
  inFile: {
    schema: setting,
    byName: false,
    first: 0,
    parts: [{ name: null, label: side.label, as: "bound" }],
    fits: ordered,
    takes: "a number, a date or a moment",
    means,
  },
  demandOf: (bound) => ({ bound: String(bound) }),
  ofTable: (table, column) => ofTable(side, table, column),
  words: ({ bound, ofType }) => (ofType ? null : `${side.label.toLowerCase()} ${bound}`),
  implied: ({ bound }, others, { type }) =>
    others.some((other) => Math.sign(orderOf(other.bound, bound, type.kind) ?? 0) === -side.outside),
  broken: ({ bound }, { column, value }) => {
    // NaN would pass every table CHECK of the kind "greater than", since PostgreSQL sorts it above all numbers.
    if (value === "NaN") return ["not-a-number", {}];
    return isBeyond(side, value ?? "", bound, column.type.kind) ? [side.name, { limit: bound }] : null;
  },
  schema: ({ bound }): Readonly<Record<string, number>> =>
    /^-?\d{1,15}(\.\d+)?$/.test(bound) ? { [side.name === "min" ? "minimum" : "maximum"]: Number(bound) } : {},
  review: (demand, reviewed) => review(side, demand, reviewed),
  counted: ({ bound }, column) => {
    const name = `t.${quoted(column.name)}`;
    const nan = column.type.kind === "decimal" || column.type.kind === "float" ? `${name} = 'NaN' OR ` : "";
    const by = side.name === "min" ? "<" : ">";
    return {
      by: "predicate",
      refused: (parameters) => `(${nan}${name} ${by} ${parameters.add(bound, castOf(column))})`,
    };
  },
  enforcement: ({ bound }, column) => ({
    by: "check",
    name: side.name,
    check: `${quoted(column.name)} ${side.inclusive} ${numbers.includes(column.type.kind) ? bound : literal(bound)}`,
  }),
});
