import type { Stored } from "../postgres/statement.js";
import type { Column } from "../table/model.js";
import { calculate } from "../values/decimal.js";
import { orderOf } from "../values/order.js";
import { Budget } from "./budget.js";
import type { Comparison, Expression, TextTest, ValueType } from "./expression.js";
import type { Actor, Attribute, Facts } from "./facts.js";
import { fitting } from "./fitting.js";

/** SQL's three truth values: null is unknown. */
export type Truth = boolean | null;

const attributeOf = (actor: Actor, name: string): Attribute => {
  if (name === "id") return actor.id;
  if (name === "name") return actor.name;
  if (name === "roles") return actor.roles;
  const { attributes = {} } = actor;
  return Object.hasOwn(attributes, name) ? (attributes[name] ?? null) : null;
};

/** A single value in its text form; lists have none. */
const asText = (value: Attribute | undefined): Stored =>
  value === null || value === undefined || typeof value === "object" ? null : String(value);

type Scope = Readonly<Record<string, Stored>>;

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

/** True if one is true, unknown if none is true but one unknown (SQL's OR over a list); none is asked after one that is true. */
function some(count: number, at: (index: number) => Truth): Truth {
  let isUnknown = false;
  for (let index = 0; index < count; index++) {
    const truth = at(index);
    if (truth === true) return true;
    isUnknown ||= truth === null;
  }
  return isUnknown ? null : false;
}

const textTests: Readonly<Record<TextTest, (text: string, part: string) => boolean>> = {
  startsWith: (text, part) => text.startsWith(part),
  endsWith: (text, part) => text.endsWith(part),
  contains: (text, part) => text.includes(part),
};

const negate = (truth: Truth): Truth => (truth === null ? null : !truth);

/** Characters that are compared or searched in one step. */
const charactersAStep = 1000;

/** One evaluation of an expression, over one set of facts, within a budget of steps. */
class Evaluation {
  constructor(
    private readonly facts: Facts,
    private readonly budget = new Budget(),
  ) {}

  /** The text form of a part that is a single value. */
  single(expression: Expression, scope: Scope): Stored {
    this.budget.spend();
    switch (expression.op) {
      case "literal":
        return expression.value === null ? null : String(expression.value);
      case "column":
        return this.facts[expression.from][expression.column.name] ?? null;
      case "actor":
        return asText(attributeOf(this.facts.actor, expression.attribute));
      case "variable":
        return scope[expression.name] ?? null;
      case "arithmetic": {
        const number = (part: Expression): Stored => this.comparable(part, "decimal", undefined, scope);
        const [left, right] = [number(expression.left), number(expression.right)];
        return left === null || right === null ? null : calculate(left, expression.by, right);
      }
      case "size": {
        const text = this.read(this.single(expression.of, scope));
        return text === null ? null : String([...text].length);
      }
      case "choose":
        return this.single(this.chosen(expression, scope), scope);
      case "now":
        return this.facts.now.toISOString().replace("T", " ").replace("Z", "+00");
      default: {
        const truth = this.truth(expression, scope);
        return truth === null ? null : String(truth);
      }
    }
  }

  /** A text that is gone through: a long one takes more steps. */
  private read(text: Stored): Stored {
    this.budget.spend(Math.floor((text?.length ?? 0) / charactersAStep));
    return text;
  }

  private chosen({ condition, chosen, otherwise }: Expression & { op: "choose" }, scope: Scope): Expression {
    return this.truth(condition, scope) === true ? chosen : otherwise;
  }

  /** A part's value as one of the type in which it is compared; what the table holds needs no fitting. */
  private comparable(part: Expression, type: ValueType, column: Column | undefined, scope: Scope): Stored {
    if (part.op === "choose") return this.comparable(this.chosen(part, scope), type, column, scope);
    const value = this.read(this.single(part, scope));
    return part.op === "literal" || part.op === "actor" || part.op === "variable"
      ? fitting(value, type, column)
      : value;
  }

  /** The members of a part that is a list. */
  members(expression: Expression, scope: Scope): readonly Stored[] {
    if (expression.op === "list") return expression.members.map((member) => this.single(member, scope));
    if (expression.op !== "actor") return [];
    const list = attributeOf(this.facts.actor, expression.attribute);
    return Array.isArray(list) ? (list as readonly string[]) : [];
  }

  truth(expression: Expression, scope: Scope): Truth {
    this.budget.spend();
    const inner = (part: Expression): Truth => this.truth(part, scope);
    switch (expression.op) {
      case "and":
        return negate(some(2, (index) => negate(inner(index === 0 ? expression.left : expression.right))));
      case "or":
        return some(2, (index) => inner(index === 0 ? expression.left : expression.right));
      case "not":
        return negate(inner(expression.of));
      case "is-null":
        return (this.single(expression.of, scope) === null) !== expression.negated;
      case "compare": {
        const { left, right, by, type } = expression;
        const column = left.op === "column" ? left.column : right.op === "column" ? right.column : undefined;
        const side = (part: Expression): Stored => this.comparable(part, type, column, scope);
        return compare(side(left), side(right), by, type);
      }
      case "in": {
        const { value, list, type } = expression;
        const column = value.op === "column" ? value.column : undefined;
        const given = this.comparable(value, type, column, scope);
        const members = this.members(list, scope);
        return some(members.length, (index) => {
          this.budget.spend();
          return compare(this.read(given), fitting(this.read(members[index] ?? null), type, column), "==", type);
        });
      }
      case "startsWith":
      case "endsWith":
      case "contains": {
        const [of, part] = [
          this.read(this.single(expression.of, scope)),
          this.read(this.single(expression.part, scope)),
        ];
        return of === null || part === null ? null : textTests[expression.op](of, part);
      }
      case "some":
      case "every": {
        const members = this.members(expression.list, scope);
        const isEvery = expression.op === "every";
        const found = some(members.length, (index) => {
          const truth = this.truth(expression.body, { ...scope, [expression.variable]: members[index] ?? null });
          return isEvery ? negate(truth) : truth;
        });
        return isEvery ? negate(found) : found;
      }
      default: {
        const value = this.single(expression, scope);
        return value === null ? null : value === "true";
      }
    }
  }
}

/**
 * What an expression is worth, in its text form; null where it is nothing, or a list.
 *
 * @throws ConditionTooLong
 */
export const expressionValue = (expression: Expression, facts: Facts, budget?: Budget): Stored =>
  new Evaluation(facts, budget).single(expression, {});

/** The members of a part that is a list. @throws ConditionTooLong */
export const membersOf = (expression: Expression, facts: Facts, budget?: Budget): readonly Stored[] =>
  new Evaluation(facts, budget).members(expression, {});

/**
 * Evaluates a condition with SQL's three-valued logic (ISO 9075-2, 8.21 search condition): a comparison with null is unknown.
 *
 * @returns true, false, or null for unknown; access is given on true only, a check fails on false only
 * @throws ConditionTooLong
 */
export const truthOf = (expression: Expression, facts: Facts, budget?: Budget): Truth =>
  new Evaluation(facts, budget).truth(expression, {});
