import type { Column, Kind } from "../table/model.js";

/** What a part of a condition is worth: decided when the page is loaded. `any` is an attribute of the actor. */
export type ValueType = Kind | "null" | "list" | "any";

/** What can be asked of a text beside another one. */
export type TextTest = "startsWith" | "endsWith" | "contains";

export type Comparison = "==" | "!=" | "<" | "<=" | ">" | ">=";

/** A condition after reading and type checking. `row` and `form` name columns of the page's own table. */
export type Expression =
  | { readonly op: "literal"; readonly type: ValueType; readonly value: string | boolean | null }
  | { readonly op: "column"; readonly from: "row" | "form"; readonly column: Column }
  | { readonly op: "actor"; readonly attribute: string }
  | { readonly op: "now" }
  | { readonly op: "variable"; readonly name: string }
  | { readonly op: "list"; readonly members: readonly Expression[] }
  | {
      readonly op: "compare";
      readonly by: Comparison;
      readonly type: ValueType;
      readonly left: Expression;
      readonly right: Expression;
    }
  | { readonly op: "is-null"; readonly of: Expression; readonly negated: boolean }
  | { readonly op: "in"; readonly type: ValueType; readonly value: Expression; readonly list: Expression }
  | { readonly op: "some" | "every"; readonly list: Expression; readonly variable: string; readonly body: Expression }
  | { readonly op: "arithmetic"; readonly by: "+" | "-" | "*"; readonly left: Expression; readonly right: Expression }
  | { readonly op: "size"; readonly of: Expression }
  | { readonly op: TextTest; readonly of: Expression; readonly part: Expression }
  | {
      readonly op: "choose";
      readonly type: ValueType;
      readonly condition: Expression;
      readonly chosen: Expression;
      readonly otherwise: Expression;
    }
  | { readonly op: "and" | "or"; readonly left: Expression; readonly right: Expression }
  | { readonly op: "not"; readonly of: Expression };

/** A condition of a page: its source in CEL and what was understood. */
export interface Condition {
  readonly source: string;
  readonly expression: Expression;
  /** The columns of the stored row, and of the form, that it asks for. */
  readonly rowColumns: readonly string[];
  readonly formColumns: readonly string[];
}

/** An expression for a value, over `actor` and `now`: its source in CEL and what was understood. */
export interface ValueExpression {
  readonly source: string;
  readonly expression: Expression;
  /** The columns of the form that it is made of. */
  readonly formColumns: readonly string[];
}

/** The parts directly inside an expression. */
export function partsOf(expression: Expression): readonly Expression[] {
  switch (expression.op) {
    case "compare":
    case "and":
    case "or":
    case "arithmetic":
      return [expression.left, expression.right];
    case "choose":
      return [expression.condition, expression.chosen, expression.otherwise];
    case "startsWith":
    case "endsWith":
    case "contains":
      return [expression.of, expression.part];
    case "in":
      return [expression.value, expression.list];
    case "some":
    case "every":
      return [expression.list, expression.body];
    case "not":
    case "is-null":
    case "size":
      return [expression.of];
    case "list":
      return expression.members;
    default:
      return [];
  }
}

/** Every part of an expression, itself included, outermost first. */
export const everyPart = (expression: Expression): Expression[] => [
  expression,
  ...partsOf(expression).flatMap(everyPart),
];

/** An expression of the same kind with each part directly inside it replaced. */
export function withParts(expression: Expression, replaced: (part: Expression) => Expression): Expression {
  switch (expression.op) {
    case "compare":
    case "and":
    case "or":
    case "arithmetic":
      return { ...expression, left: replaced(expression.left), right: replaced(expression.right) };
    case "in":
      return { ...expression, value: replaced(expression.value), list: replaced(expression.list) };
    case "some":
    case "every":
      return { ...expression, list: replaced(expression.list), body: replaced(expression.body) };
    case "not":
    case "is-null":
    case "size":
      return { ...expression, of: replaced(expression.of) };
    case "startsWith":
    case "endsWith":
    case "contains":
      return { ...expression, of: replaced(expression.of), part: replaced(expression.part) };
    case "choose":
      return {
        ...expression,
        condition: replaced(expression.condition),
        chosen: replaced(expression.chosen),
        otherwise: replaced(expression.otherwise),
      };
    case "list":
      return { ...expression, members: expression.members.map(replaced) };
    default:
      return expression;
  }
}

/** Whether a condition asks for the stored row, for the form, or for who asks. */
export const asksFor = (condition: Condition, what: "row" | "form" | "actor"): boolean =>
  everyPart(condition.expression).some(
    (part) => (part.op === "column" && part.from === what) || (part.op === "actor" && what === "actor"),
  );

/** What is said of a condition on the stored row where there is none yet. */
export const beforeARecord = {
  open: 'Who may open the page is decided before a record is loaded: "row" belongs into rows or edit.',
  new: 'Who may make a new record is decided before there is one: "row" belongs into rows, which the new record must meet.',
} as const;
