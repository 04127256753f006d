import type { Path } from "../findings/path-in-file.js";
import type { Column, Table } from "../table/model.js";
import { kindOf, ruleKinds, ruleKindsInFile } from "./index.js";
import type { Rule, RuleContext } from "./rule.js";
import type { RuleSetting } from "./schema.js";

function readRule(setting: RuleSetting, column: Column, context: RuleContext, path: Path): Rule[] {
  const settings: Exclude<RuleSetting, string> = typeof setting === "string" ? { [setting]: true } : setting;
  const inFile = ruleKindsInFile();
  const [kind, ...others] = inFile.filter(({ name }) => settings[name] !== undefined);
  if (kind === undefined || others.length > 0) {
    context.error(
      "rule",
      `One rule is wanted here, one of ${inFile.map(({ name }) => name).join(", ")}; there are ${others.length + Number(kind !== undefined)}.`,
      path,
    );
    return [];
  }
  const demand = kind.demandOf(settings[kind.name], column, context, [...path, kind.name]);
  if (demand === null) return [];
  const when = context.condition(settings.when, true, [...path, "when"]);
  return [{ rule: kind.name, demand, from: "page", when, message: settings.message ?? null }];
}

/** The rules that a page file names for a field. */
export const pageRules = (settings: readonly RuleSetting[], column: Column, context: RuleContext, path: Path): Rule[] =>
  settings.flatMap((setting, index) => readRule(setting, column, context, [...path, "rules", index]));

/** The rules that a table has by one of its constraints alone. */
function rulesBy(constraint: string, table: Table, ...of: readonly [Column, string, "nothing" | "text"]): Rule[] {
  const isIt = (each: { readonly constraint: string }): boolean => each.constraint === constraint;
  const { demands, constraints, keys, references } = table;
  const bare = { ...table, demands: [], constraints: [], keys: [], references: [] };
  const without = new Set(tableRules(bare, ...of).map(nameOf));
  const alone = {
    ...table,
    demands: demands.filter(isIt),
    constraints: constraints.filter(isIt),
    keys: keys.filter(isIt),
    references: references.filter(isIt),
  };
  return tableRules(alone, ...of).filter((rule) => !without.has(nameOf(rule)));
}

/** Tells rules apart by what they demand. */
const nameOf = ({ rule, demand }: Rule): string => `${rule} ${kindOf({ rule }).words(demand)}`;

/** The same rules, those by which a constraint is judged before the table with the message that the page has for it. */
export function withMessages(
  rules: readonly Rule[],
  messages: Readonly<Record<string, string>>,
  table: Table,
  ...of: readonly [Column, string, "nothing" | "text"]
): readonly Rule[] {
  const named = new Map(
    Object.entries(messages).flatMap(([constraint, message]) =>
      rulesBy(constraint, table, ...of).map((rule) => [nameOf(rule), message] as const),
    ),
  );
  return named.size === 0
    ? rules
    : rules.map((rule) => ({ ...rule, message: named.get(nameOf(rule)) ?? rule.message }));
}

/** What the table enforces on one column is a rule without being named; the page can only be stricter. */
export const tableRules = (
  table: Table,
  column: Column,
  control: string,
  empty: "nothing" | "text" = "nothing",
): Rule[] =>
  ruleKinds().flatMap(({ name, ofTable }) =>
    (ofTable?.(table, column, control, empty) ?? []).map((demand) => ({
      rule: name,
      demand,
      from: "table",
      when: null,
      message: null,
    })),
  );
