import { type Parameters, quoted, type Stored } from "../postgres/statement.js";
import type { Column } from "../table/model.js";
import { Budget, ConditionTooLong, mostParameters } from "./budget.js";
import { expressionValue, membersOf, truthOf } from "./evaluate.js";
import {
  type Comparison,
  type Condition,
  type Expression,
  everyPart,
  type TextTest,
  type ValueType,
  withParts,
} from "./expression.js";
import type { Facts } from "./facts.js";
import { fitting } from "./fitting.js";

/** What compares in SQL. */
export const operators: Readonly<Record<Comparison, string>> = {
  "==": "=",
  "!=": "<>",
  "<": "<",
  "<=": "<=",
  ">": ">",
  ">=": ">=",
};

/** The types that values of conditions are cast to. */
export const castOf: Partial<Record<ValueType, string>> = {
  integer: "bigint",
  decimal: "numeric",
  float: "double precision",
  boolean: "boolean",
  date: "date",
  timestamp: "timestamp",
  timestamptz: "timestamptz",
  time: "time",
  uuid: "uuid",
};

class Writer {
  private readonly budget = new Budget();
  private readonly most: number;

  constructor(
    private readonly parameters: Parameters,
    private readonly facts: Facts,
    private readonly alias: string,
  ) {
    this.most = parameters.values.length + mostParameters;
  }

  truth(expression: Expression): string {
    this.budget.spend();
    if (this.parameters.values.length > this.most) throw new ConditionTooLong();
    // What does not ask for the stored row is decided here and travels as its result.
    if (!asksForRow(expression)) {
      return this.parameters.add(asStored(truthOf(expression, this.facts, this.budget)), "boolean");
    }
    switch (expression.op) {
      case "and":
      case "or":
        return `(${this.truth(expression.left)} ${expression.op.toUpperCase()} ${this.truth(expression.right)})`;
      case "not":
        return `(NOT ${this.truth(expression.of)})`;
      case "is-null":
        return `(${this.value(expression.of, "any", undefined)} IS ${expression.negated ? "NOT " : ""}NULL)`;
      case "compare":
        return this.compare(expression);
      case "in":
        return this.membership(expression);
      case "some":
      case "every":
        return this.quantifier(expression);
      case "startsWith":
      case "endsWith":
      case "contains":
        return textTests[expression.op](
          this.value(expression.of, "text", undefined),
          this.value(expression.part, "text", undefined),
        );
      default:
        return this.value(expression, "boolean", undefined);
    }
  }

  private compare(expression: Expression & { op: "compare" }): string {
    const { left, right, type, by } = expression;
    const column = left.op === "column" ? left.column : right.op === "column" ? right.column : undefined;
    const collation = type === "text" && by !== "==" && by !== "!=" ? ' COLLATE "C"' : "";
    return `(${this.value(left, type, column)} ${operators[by]} ${this.value(right, type, column)}${collation})`;
  }

  private membership(expression: Expression & { op: "in" }): string {
    const column = expression.value.op === "column" ? expression.value.column : undefined;
    const value = this.value(expression.value, expression.type, column);
    const members = membersOf(expression.list, this.facts, this.budget);
    if (members.length === 0) return this.parameters.add("false", "boolean");
    return `(${value} IN (${members.map((member) => this.constant(member, expression.type, column)).join(", ")}))`;
  }

  private quantifier(expression: Expression & { op: "some" | "every" }): string {
    const members = membersOf(expression.list, this.facts, this.budget);
    if (members.length === 0) return this.parameters.add(String(expression.op === "every"), "boolean");
    const bodies = members.map((member) =>
      this.truth(substituted(expression.body, expression.variable, member, this.budget)),
    );
    return `(${bodies.join(expression.op === "some" ? " OR " : " AND ")})`;
  }

  private constant(value: Stored, type: ValueType, column: Column | undefined): string {
    this.budget.spend();
    const cast = type === "enum" ? (column?.type.cast ?? "text") : (castOf[type] ?? "text");
    return this.parameters.add(fitting(value, type, column), cast);
  }

  private value(expression: Expression, type: ValueType, column: Column | undefined): string {
    if (expression.op === "column" && expression.from === "row") {
      const name = `${this.alias}.${quoted(expression.column.name)}`;
      // A text form where two kinds of text meet; char(n) loses its padding as it does on its way to the form.
      const isText = type === "text" || (type === "enum" && column !== expression.column);
      // Where texts that are written otherwise are equal, those of a condition are not.
      return expression.column.type.folded ? `(${name}::text COLLATE "C")` : isText ? `${name}::text` : name;
    }
    if (asksForRow(expression)) return this.calculated(expression, type, column);
    return this.constant(expressionValue(expression, this.facts, this.budget), type, column);
  }

  /** A value that is made of the row's: written as SQL, every number as `numeric`. */
  private calculated(expression: Expression, type: ValueType, column: Column | undefined): string {
    switch (expression.op) {
      case "arithmetic": {
        const [left, right] = [
          this.value(expression.left, "decimal", undefined),
          this.value(expression.right, "decimal", undefined),
        ];
        return `(${left}::numeric ${expression.by} ${right}::numeric)`;
      }
      case "size":
        return `char_length(${this.value(expression.of, "text", undefined)})`;
      case "choose":
        return `(CASE WHEN ${this.truth(expression.condition)} THEN ${this.value(expression.chosen, type, column)} ELSE ${this.value(expression.otherwise, type, column)} END)`;
      default:
        return this.truth(expression);
    }
  }
}

const asking = new WeakMap<Expression, boolean>();

/** Whether an expression asks for the stored row anywhere; found out once, since an expression never changes. */
function asksForRow(expression: Expression): boolean {
  const known = asking.get(expression);
  if (known !== undefined) return known;
  const asks = everyPart(expression).some((part) => part.op === "column" && part.from === "row");
  asking.set(expression, asks);
  return asks;
}

/** Tests of a text by position, without patterns: a text stands for itself. */
const textTests: Readonly<Record<TextTest, (text: string, part: string) => string>> = {
  startsWith: (text, part) => `starts_with(${text}, ${part})`,
  endsWith: (text, part) => `(right(${text}, char_length(${part})) = ${part})`,
  contains: (text, part) => `(strpos(${text}, ${part}) > 0)`,
};

const asStored = (truth: boolean | null): Stored => (truth === null ? null : String(truth));

/** The body with a quantifier's variable replaced by one member of its list. */
function substituted(expression: Expression, variable: string, value: Stored, budget: Budget): Expression {
  budget.spend();
  if (expression.op !== "variable") return withParts(expression, (part) => substituted(part, variable, value, budget));
  return expression.name === variable ? { op: "literal", type: "any", value } : expression;
}

/**
 * Writes a condition as a predicate of a WHERE clause, with the same meaning as `truthOf`.
 *
 * @param parameters where its values go; the text depends on the actor only through the length of the actor's lists
 * @param alias the table's alias in the statement
 * @throws ConditionTooLong
 */
export const predicate = (condition: Condition, parameters: Parameters, facts: Facts, alias: string): string =>
  new Writer(parameters, facts, alias).truth(condition.expression);
