import type { Stored } from "../postgres/statement.js";
import type { Column } from "../table/model.js";
import { calculate } from "../values/decimal.js";
import { orderOf } from "../values/order.js";
import type { Comparison, Expression, TextTest, ValueType } from "./expression.js";
import type { Actor, Attribute, Facts } from "./facts.js";
import { fitting } from "./fitting.js";

/** SQL's three truth values: null is unknown. */
export type Truth = boolean | null;

const attributeOf = (actor: Actor, name: string): Attribute => {
  if (name === "id") return actor.id;
  if (name === "name") return actor.name;
  if (name === "roles") return actor.roles;
  return Object.hasOwn(actor.attributes, name) ? (actor.attributes[name] ?? null) : null;
};

/** A single value in its text form; lists have none. */
const asText = (value: Attribute | undefined): Stored =>
  value === null || value === undefined || typeof value === "object" ? null : String(value);

type Scope = Readonly<Record<string, Stored>>;

/** The text form of a part that is a single value. */
function singleValue(expression: Expression, facts: Facts, scope: Scope): Stored {
  switch (expression.op) {
    case "literal":
      return expression.value === null ? null : String(expression.value);
    case "column":
      return facts[expression.from][expression.column.name] ?? null;
    case "actor":
      return asText(attributeOf(facts.actor, expression.attribute));
    case "variable":
      return scope[expression.name] ?? null;
    case "arithmetic": {
      const number = (part: Expression): Stored => comparable(part, "decimal", undefined, facts, scope);
      const [left, right] = [number(expression.left), number(expression.right)];
      return left === null || right === null ? null : calculate(left, expression.by, right);
    }
    case "size": {
      const text = singleValue(expression.of, facts, scope);
      return text === null ? null : String([...text].length);
    }
    case "choose":
      return singleValue(
        truthOf(expression.condition, facts, scope) === true ? expression.chosen : expression.otherwise,
        facts,
        scope,
      );
    case "now":
      return facts.now.toISOString().replace("T", " ").replace("Z", "+00");
    default: {
      const truth = truthOf(expression, facts, scope);
      return truth === null ? null : String(truth);
    }
  }
}

/** What an expression is worth, in its text form; null where it is nothing, or a list. */
export const expressionValue = (expression: Expression, facts: Facts): Stored => singleValue(expression, facts, {});

/** A part's value as one of the type in which it is compared; what the table holds needs no fitting. */
function comparable(part: Expression, type: ValueType, column: Column | undefined, facts: Facts, scope: Scope): Stored {
  if (part.op === "choose") {
    const chosen = truthOf(part.condition, facts, scope) === true ? part.chosen : part.otherwise;
    return comparable(chosen, type, column, facts, scope);
  }
  const value = singleValue(part, facts, scope);
  return part.op === "literal" || part.op === "actor" || part.op === "variable" ? fitting(value, type, column) : value;
}

/** The members of a part that is a list. */
export function membersOf(expression: Expression, facts: Facts, scope: Scope = {}): readonly Stored[] {
  if (expression.op === "list") return expression.members.map((member) => singleValue(member, facts, scope));
  if (expression.op !== "actor") return [];
  const list = attributeOf(facts.actor, expression.attribute);
  return Array.isArray(list) ? (list as readonly string[]) : [];
}

function compare(a: Stored, b: Stored, by: Comparison, type: ValueType): Truth {
  if (a === null || b === null) return null;
  const result = orderOf(a, b, type);
  if (result === null) return null;
  switch (by) {
    case "==":
      return result === 0;
    case "!=":
      return result !== 0;
    case "<":
      return result < 0;
    case "<=":
      return result <= 0;
    case ">":
      return result > 0;
    case ">=":
      return result >= 0;
  }
}

/** True if one is true, unknown if none is true but one unknown (SQL's OR over a list). */
function some(truths: readonly Truth[]): Truth {
  if (truths.includes(true)) return true;
  return truths.includes(null) ? null : false;
}

const textTests: Readonly<Record<TextTest, (text: string, part: string) => boolean>> = {
  startsWith: (text, part) => text.startsWith(part),
  endsWith: (text, part) => text.endsWith(part),
  contains: (text, part) => text.includes(part),
};

const negate = (truth: Truth): Truth => (truth === null ? null : !truth);

/**
 * Evaluates a condition with SQL's three-valued logic (ISO 9075-2, 8.21 search condition): a comparison with null is unknown.
 *
 * @returns true, false, or null for unknown; access is given on true only, a check fails on false only
 */
export function truthOf(expression: Expression, facts: Facts, scope: Scope = {}): Truth {
  const inner = (part: Expression): Truth => truthOf(part, facts, scope);
  switch (expression.op) {
    case "and":
      return negate(some([negate(inner(expression.left)), negate(inner(expression.right))]));
    case "or":
      return some([inner(expression.left), inner(expression.right)]);
    case "not":
      return negate(inner(expression.of));
    case "is-null":
      return (singleValue(expression.of, facts, scope) === null) !== expression.negated;
    case "compare": {
      const { left, right, by, type } = expression;
      const column = left.op === "column" ? left.column : right.op === "column" ? right.column : undefined;
      const side = (part: Expression): Stored => comparable(part, type, column, facts, scope);
      return compare(side(left), side(right), by, type);
    }
    case "in": {
      const { value, list, type } = expression;
      const column = value.op === "column" ? value.column : undefined;
      const given = comparable(value, type, column, facts, scope);
      return some(
        membersOf(list, facts, scope).map((member) => compare(given, fitting(member, type, column), "==", type)),
      );
    }
    case "startsWith":
    case "endsWith":
    case "contains": {
      const [of, part] = [singleValue(expression.of, facts, scope), singleValue(expression.part, facts, scope)];
      return of === null || part === null ? null : textTests[expression.op](of, part);
    }
    case "some":
    case "every": {
      const truths = membersOf(expression.list, facts, scope).map((member) =>
        truthOf(expression.body, facts, { ...scope, [expression.variable]: member }),
      );
      return expression.op === "some" ? some(truths) : negate(some(truths.map(negate)));
    }
    default: {
      const value = singleValue(expression, facts, scope);
      return value === null ? null : value === "true";
    }
  }
}
