import Big from "big.js";
import { RE2JS } from "re2js";
import type { Condition } from "../condition/expression.js";
import { type CheckConstraint, type Column, columnOf, type Table } from "../table/model.js";
import type { Repair } from "./finding.js";
import type { FindingCode } from "./finding-codes.js";
import type { Choices, Control, Rule } from "./page.js";
import type { Path } from "./parse.js";
import type { RuleSetting } from "./schema.js";

/** What reading a rule needs of the page that is being bound. */
export interface RuleContext {
  readonly table: Table;
  error(code: FindingCode, message: string, path: Path, offset?: number, key?: boolean, repair?: Repair): null;
  warning(code: FindingCode, message: string, path: Path, repair?: Repair): void;
  condition(source: string | undefined, hasForm: boolean, path: Path): Condition | null;
}

type RuleName = Exclude<keyof Exclude<RuleSetting, string>, "when" | "message">;
const ruleNames: readonly RuleName[] = [
  "required",
  "min-length",
  "max-length",
  "min",
  "max",
  "step",
  "pattern",
  "e-mail",
  "web-address",
  "one-of",
  "unique",
];

/** A pattern for RE2, which takes a time that grows with the text only, whatever the pattern: no input can make it hang. */
function compiled(source: string, context: RuleContext, path: Path): ((text: string) => boolean) | null {
  try {
    const pattern = RE2JS.compile(source);
    return (text) => pattern.matches(text);
  } catch (error) {
    return context.error("pattern", `This pattern can't be read: ${(error as Error).message}.`, path);
  }
}

/** What the rule itself says, without where it comes from and when it applies. */
type Demand = Rule extends infer Each ? (Each extends Rule ? Omit<Each, "by" | "when" | "message"> : never) : never;

function demandOf(
  name: RuleName,
  setting: Exclude<RuleSetting, string>,
  column: Column,
  context: RuleContext,
  path: Path,
): Demand | null {
  switch (name) {
    case "required":
    case "e-mail":
    case "web-address":
      return { rule: name };
    case "min-length":
    case "max-length":
      return { rule: name, characters: setting[name] ?? 0 };
    case "min":
    case "max":
      return { rule: name, bound: String(setting[name]) };
    case "step":
      return { rule: name, step: String(setting.step) };
    case "pattern": {
      const source = setting.pattern ?? "";
      const matches = compiled(source, context, [...path, "pattern"]);
      return matches && { rule: name, source, matches };
    }
    case "one-of":
      return { rule: name, values: setting["one-of"] ?? [] };
    case "unique":
      return { rule: name, constraint: null, columns: [column.name], ignoringCase: setting.unique === "ignoring-case" };
  }
}

/** Takes the rule at `["fields", index, name, "rules", place]` off. */
export const takeOffRule = (path: Path): Repair => ({
  what: "take this rule off",
  edits: [{ do: "set", path: ["fields", ...path.slice(2)], value: undefined }],
});

function readRule(setting: RuleSetting, column: Column, context: RuleContext, path: Path): Rule[] {
  const settings: Exclude<RuleSetting, string> = typeof setting === "string" ? { [setting]: true } : setting;
  const [name, ...others] = ruleNames.filter((each) => settings[each] !== undefined);
  if (name === undefined || others.length > 0) {
    context.error(
      "rule",
      `One rule is wanted here, one of ${ruleNames.join(", ")}; there are ${others.length + Number(name !== undefined)}.`,
      path,
    );
    return [];
  }
  const demand = demandOf(name, settings, column, context, path);
  if (!demand) return [];
  if (demand.rule === "max-length" && column.type.maxLength !== null && demand.characters > column.type.maxLength) {
    context.warning(
      "looser-than-table",
      `The table takes ${column.type.maxLength} characters at most, the rule ${demand.characters}.`,
      path,
      takeOffRule(path),
    );
  }
  const when = context.condition(settings.when, true, [...path, "when"]);
  return [{ ...demand, by: "page", when, message: settings.message ?? null }];
}

/** The rules that a page file names for a field. */
export const pageRules = (settings: readonly RuleSetting[], column: Column, context: RuleContext, path: Path): Rule[] =>
  settings.flatMap((setting, index) => readRule(setting, column, context, [...path, "rules", index]));

const integerRanges: Readonly<Record<string, readonly [string, string]>> = {
  smallint: ["-32768", "32767"],
  integer: ["-2147483648", "2147483647"],
  bigint: ["-9223372036854775808", "9223372036854775807"],
};

/** The range and the digits of a `numeric(p,s)`; a scale below zero rounds to tens, hundreds and so on. */
function decimalDemands(precision: number, scale: number): Demand[] {
  const whole = "9".repeat(Math.max(0, precision - scale)) || "0";
  const bound = scale > 0 ? `${whole}.${"9".repeat(scale)}` : whole;
  return [
    { rule: "min", bound: `-${bound}` },
    { rule: "max", bound },
    { rule: "scale", digits: scale },
  ];
}

/** The smallest number above (or below) a bound among those that the column can hold; null where there is no such. */
function beyond(bound: string, column: Column, by: ">" | "<"): string | null {
  const { kind, scale } = column.type;
  if (!/^-?\d+(\.\d+)?$/.test(bound)) return null;
  if (kind !== "integer" && (kind !== "decimal" || scale === null || scale < 0)) return null;
  const step = new Big(10).pow(-(kind === "integer" ? 0 : (scale ?? 0)));
  return (by === ">" ? new Big(bound).plus(step) : new Big(bound).minus(step)).toFixed();
}

/** A CHECK's range or list as a rule; nothing where a bound can't be put as one, then the table alone judges. */
function fromCheck({ by, values }: CheckConstraint, column: Column): Demand[] {
  if (by === "in") return [{ rule: "one-of", values }];
  const [bound = ""] = values;
  if (by === ">=") return [{ rule: "min", bound }];
  if (by === "<=") return [{ rule: "max", bound }];
  const limit = beyond(bound, column, by);
  return limit === null ? [] : [{ rule: by === ">" ? "min" : "max", bound: limit }];
}

/** What the table enforces on one column is a rule without being named; the page can only be stricter. */
export function tableRules(table: Table, column: Column, control: Control): Rule[] {
  const demands: Demand[] = [];
  const { type } = column;
  if (!column.nullable && control !== "check-box") demands.push({ rule: "required" });
  if (type.maxLength !== null) demands.push({ rule: "max-length", characters: type.maxLength });
  if (type.kind === "decimal" && type.precision !== null && type.scale !== null)
    demands.push(...decimalDemands(type.precision, type.scale));
  const range = integerRanges[type.cast];
  if (range) demands.push({ rule: "min", bound: range[0] }, { rule: "max", bound: range[1] });
  if (type.kind === "enum") demands.push({ rule: "one-of", values: type.labels });
  for (const demand of table.demands) {
    if (demand.column === column.name) demands.push(...fromCheck(demand, column));
  }
  for (const each of table.constraints) {
    if (each.kind === "unique" && each.columns.includes(column.name)) {
      demands.push({ rule: "unique", constraint: each.constraint, columns: each.columns, ignoringCase: false });
    }
  }
  for (const key of table.keys) {
    if (key.primary && key.columns.includes(column.name)) {
      demands.push({ rule: "unique", constraint: key.constraint, columns: key.columns, ignoringCase: false });
    }
  }
  for (const each of table.references) {
    if (each.columns.includes(column.name)) demands.push({ rule: "exists", reference: each });
  }
  return demands.map((demand) => ({ ...demand, by: "table", when: null, message: null }));
}

/** A choice that the page restricts must be one of those offered, which no constraint of the table promises. */
export const offeredRule = (choices: Choices | null): Rule[] =>
  choices?.from === "table" && choices.where
    ? [{ rule: "offered", choices, by: "page", when: null, message: null }]
    : [];

/** The columns of a rule's constraint, where they are the table's own. */
export const columnsOf = (table: Table, names: readonly string[]): readonly Column[] =>
  names.flatMap((name) => columnOf(table, name) ?? []);
