import { type ASTNode, Environment } from "@marcbachmann/cel-js";
import type { Column, Table } from "../table/model.js";
import { microseconds } from "../values/instant.js";
import { type Misspelt, misspelt, suggestion } from "../values/nearest.js";
import { mostWrittenSteps, writtenSteps } from "./budget.js";
import {
  type Comparison,
  type Condition,
  type Expression,
  everyPart,
  type TextTest,
  type ValueExpression,
  type ValueType,
} from "./expression.js";

/** Why a condition was not understood, `offset` characters into its source. */
export interface ConditionProblem {
  readonly message: string;
  readonly offset: number;
  /** The name that is misspelt there, and the one that was most likely meant. */
  readonly misspelt?: Misspelt | undefined;
}

type ConditionResult =
  | { readonly ok: true; readonly condition: Condition }
  | { readonly ok: false; readonly problem: ConditionProblem };

class NotUnderstood extends Error {
  constructor(
    message: string,
    readonly offset: number,
    readonly misspelt?: Misspelt | undefined,
  ) {
    super(message);
  }
}

const comparisons: ReadonlySet<string> = new Set(["==", "!=", "<", "<=", ">", ">="]);
const textTests: ReadonlySet<string> = new Set(["startsWith", "endsWith", "contains"]);
const numbers: ReadonlySet<ValueType> = new Set<ValueType>(["integer", "decimal", "float"]);
const times: ReadonlySet<ValueType> = new Set<ValueType>(["date", "timestamp", "timestamptz"]);
const texts: ReadonlySet<ValueType> = new Set<ValueType>(["text", "uuid", "enum"]);

/** The type in which two values can be compared, or undefined. */
function commonType(left: ValueType, right: ValueType): ValueType | undefined {
  if (left === right) return left === "list" || left === "json" || left === "other" ? undefined : left;
  if (left === "any" || left === "null") return right === "list" ? undefined : right;
  if (right === "any" || right === "null") return left === "list" ? undefined : left;
  if (numbers.has(left) && numbers.has(right)) return left === "float" || right === "float" ? "float" : "decimal";
  if (times.has(left) && times.has(right)) return "timestamptz";
  // A text that is compared with another kind is read as that kind: row.status == "live", row.installed_on < "2020-01-01".
  if (left === "text" && (texts.has(right) || times.has(right))) return right;
  if (right === "text" && (texts.has(left) || times.has(left))) return left;
  return undefined;
}

/** The type of a part's value. */
export function typeOf(expression: Expression): ValueType {
  switch (expression.op) {
    case "literal":
      return expression.type;
    case "column":
      return expression.column.type.kind;
    case "actor":
    case "variable":
      return "any";
    case "now":
      return "timestamptz";
    case "list":
      return "list";
    case "arithmetic":
      return "decimal";
    case "size":
      return "integer";
    case "choose":
      return expression.type;
    default:
      return "boolean";
  }
}

class Reader {
  private readonly variables: string[] = [];

  constructor(
    private readonly table: Table,
    private readonly form: Table | null,
  ) {}

  read(node: ASTNode): Expression {
    if (comparisons.has(node.op)) return this.comparison(node, node.args as [ASTNode, ASTNode]);
    switch (node.op) {
      case "value":
        return this.literal(node);
      case "id":
        return this.name(node, node.args);
      case ".":
        return this.member(node, node.args);
      case "[]":
        return this.indexed(node, node.args as [ASTNode, ASTNode]);
      case "list":
        return { op: "list", members: node.args.map((each) => this.read(each)) };
      case "&&":
      case "||":
        return { op: node.op === "&&" ? "and" : "or", left: this.truth(node.args[0]), right: this.truth(node.args[1]) };
      case "!_":
        return { op: "not", of: this.truth(node.args) };
      case "in":
        return this.membership(node, node.args as [ASTNode, ASTNode]);
      case "-_":
        return this.negative(node);
      case "+":
      case "-":
      case "*":
        return this.arithmetic(node.op, node.args as [ASTNode, ASTNode]);
      case "?:":
        return this.choice(node.args);
      case "call":
        return this.call(node, node.args);
      case "rcall":
        return textTests.has(node.args[0]) ? this.textTest(node, node.args) : this.quantifier(node, node.args);
      default:
        throw new NotUnderstood(`"${node.op}" can't be used in a condition.`, node.start);
    }
  }

  /** A part that must be true or false. */
  truth(node: ASTNode): Expression {
    const read = this.read(node);
    const type = typeOf(read);
    if (type === "boolean" || type === "any") return read;
    throw new NotUnderstood(`This is of type ${type}; true or false is wanted here.`, node.start);
  }

  private literal(node: ASTNode): Expression {
    const value: unknown = node.args;
    const source = node.input.slice(node.start, node.end);
    if (value === null) return { op: "literal", type: "null", value: null };
    if (typeof value === "boolean") return { op: "literal", type: "boolean", value };
    if (typeof value === "string") return { op: "literal", type: "text", value };
    if (typeof value === "bigint") return { op: "literal", type: "integer", value: value.toString() };
    // The digits as written: 0.1 stays one tenth.
    if (typeof value === "number" && Number.isFinite(value)) return { op: "literal", type: "decimal", value: source };
    throw new NotUnderstood(`${source} can't be used in a condition.`, node.start);
  }

  private negative(node: ASTNode): Expression {
    const of = this.read(node.args as ASTNode);
    if (of.op !== "literal" || !numbers.has(of.type))
      throw new NotUnderstood("A minus stands before a number only.", node.start);
    return { ...of, value: `-${String(of.value)}` };
  }

  private name(node: ASTNode, name: string): Expression {
    if (name === "now") return { op: "now" };
    if (this.variables.includes(name)) return { op: "variable", name };
    const known = ["row", "actor", "now", ...(this.form ? ["form"] : []), ...this.variables];
    if (known.includes(name))
      throw new NotUnderstood(
        `"${name}" needs a name after it, like ${name}.${name === "actor" ? "roles" : (this.table.columns[0]?.name ?? "id")}.`,
        node.start,
      );
    throw new NotUnderstood(
      `"${name}" is not known here.${suggestion(name, known)} Known: ${known.join(", ")}.`,
      node.start,
      misspelt(name, known),
    );
  }

  private member(node: ASTNode, [of, name]: [ASTNode, string]): Expression {
    if (of.op !== "id") throw new NotUnderstood("Names go one level deep here.", node.pos);
    if (of.args === "actor") return { op: "actor", attribute: name };
    const from = of.args;
    const table = from === "row" ? this.table : from === "form" ? this.form : null;
    if (!table) return this.name(of, of.args);
    const column = table.columns.find((each) => each.name === name);
    if (column) return { op: "column", from: from as "row" | "form", column };
    const known = table.columns.map((each) => each.name);
    throw new NotUnderstood(
      `The table ${table.schema}.${table.name} has no column "${name}".${suggestion(name, known)}`,
      node.pos,
      misspelt(name, known),
    );
  }

  /** `row["two words"]`: a name that is no identifier. */
  private indexed(node: ASTNode, [of, name]: [ASTNode, ASTNode]): Expression {
    if (name.op === "value" && typeof name.args === "string") return this.member(node, [of, name.args]);
    throw new NotUnderstood('Between brackets stands a name in quotes, like row["two words"].', node.pos);
  }

  private comparison(node: ASTNode, [leftNode, rightNode]: [ASTNode, ASTNode]): Expression {
    const by = node.op as Comparison;
    const left = this.read(leftNode);
    const right = this.read(rightNode);
    if (by === "==" || by === "!=") {
      const other = typeOf(left) === "null" ? right : typeOf(right) === "null" ? left : undefined;
      if (other) return { op: "is-null", of: other, negated: by === "!=" };
    }
    const type = this.shared(left, right, rightNode);
    if (type === "boolean" && by !== "==" && by !== "!=")
      throw new NotUnderstood("True and false have no order.", node.pos);
    return { op: "compare", by, type, left, right };
  }

  /** Exact numbers only: binary floating point has no sums that two places agree on. */
  private number(node: ASTNode): Expression {
    const read = this.read(node);
    const type = typeOf(read);
    if (type === "integer" || type === "decimal" || type === "any") return read;
    throw new NotUnderstood(`This is of type ${type}; an exact number is wanted here.`, node.start);
  }

  private arithmetic(by: "+" | "-" | "*", [left, right]: [ASTNode, ASTNode]): Expression {
    return { op: "arithmetic", by, left: this.number(left), right: this.number(right) };
  }

  private text(node: ASTNode): Expression {
    const read = this.read(node);
    const type = typeOf(read);
    if (texts.has(type) || type === "any") return read;
    throw new NotUnderstood(`This is of type ${type}; a text is wanted here.`, node.start);
  }

  private textTest(node: ASTNode, [name, of, args]: [string, ASTNode, ASTNode[]]): Expression {
    const [part] = args;
    if (!part || args.length > 1) throw new NotUnderstood(`"${name}" asks for one text.`, node.pos);
    return { op: name as TextTest, of: this.text(of), part: this.text(part) };
  }

  private choice([condition, thenNode, otherwiseNode]: [ASTNode, ASTNode, ASTNode]): Expression {
    const [chosen, otherwise] = [this.read(thenNode), this.read(otherwiseNode)];
    return {
      op: "choose",
      type: this.shared(chosen, otherwise, otherwiseNode),
      condition: this.truth(condition),
      chosen,
      otherwise,
    };
  }

  private call(node: ASTNode, [name, args]: [string, ASTNode[]]): Expression {
    const [only] = args;
    if (only && args.length === 1) {
      if (name === "size") return { op: "size", of: this.text(only) };
      if (name === "has") return { op: "is-null", of: this.read(only), negated: true };
      if (name === "timestamp") return this.timestamp(only);
    }
    const hint = suggestion(name, ["size", "has", "timestamp"]);
    throw new NotUnderstood(
      `"${name}()" can't be used in a condition.${hint} Possible: size(x), has(x), timestamp("…").`,
      node.start,
    );
  }

  private timestamp(node: ASTNode): Expression {
    const text = node.op === "value" && typeof node.args === "string" ? node.args : "";
    if (
      !/^\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d(\.\d{1,6})?(Z|[+-]\d\d:\d\d)$/.test(text) ||
      microseconds(text) === undefined
    ) {
      throw new NotUnderstood('A moment is written like timestamp("2026-03-31T14:30:00Z").', node.start);
    }
    return { op: "literal", type: "timestamptz", value: text };
  }

  /** The common type of two parts; a text beside an enum must be one of its labels. */
  private shared(left: Expression, right: Expression, place: ASTNode): ValueType {
    const type = commonType(typeOf(left), typeOf(right));
    if (!type) throw new NotUnderstood(`A ${typeOf(left)} can't be compared with a ${typeOf(right)}.`, place.start);
    const [column, literal] = left.op === "column" ? [left, right] : [right, left];
    if (column.op === "column" && type === "enum" && literal.op === "literal") {
      const { labels } = column.column.type;
      const label = String(literal.value);
      if (!labels.includes(label)) {
        throw new NotUnderstood(
          `"${label}" is not one of ${labels.join(", ")}.${suggestion(label, labels)}`,
          place.start,
          misspelt(label, labels),
        );
      }
    }
    return type;
  }

  private membership(node: ASTNode, [valueNode, listNode]: [ASTNode, ASTNode]): Expression {
    const value = this.read(valueNode);
    const list = this.read(listNode);
    if (list.op === "list") {
      const types = list.members.map((member) => this.shared(value, member, listNode));
      return { op: "in", type: types[0] ?? typeOf(value), value, list };
    }
    if (list.op === "actor") return { op: "in", type: typeOf(value), value, list };
    throw new NotUnderstood('After "in" stands a list, like ["live", "planned"] or actor.roles.', node.pos);
  }

  private quantifier(_node: ASTNode, [name, of, args]: [string, ASTNode, ASTNode[]]): Expression {
    const [variableNode, bodyNode] = args;
    if ((name !== "exists" && name !== "all") || variableNode?.op !== "id" || !bodyNode) {
      const hint = suggestion(name, ["exists", "all"]);
      throw new NotUnderstood(
        `"${name}" can't be used in a condition.${hint} Possible: exists(x, …), all(x, …).`,
        of.end + 1,
      );
    }
    const list = this.read(of);
    if (list.op !== "list" && list.op !== "actor") throw new NotUnderstood(`"${name}" asks a list.`, of.start);
    const variable = variableNode.args;
    this.variables.push(variable);
    const body = this.truth(bodyNode);
    this.variables.pop();
    return { op: name === "exists" ? "some" : "every", list, variable, body };
  }
}

const environment = new Environment({
  limits: { maxAstNodes: 400, maxDepth: 40, maxListElements: 200, maxCallArguments: 8 },
});

/** Refuses what nested lists multiply beyond what is evaluated for each record and person. */
function bounded(expression: Expression): Expression {
  const steps = writtenSteps(expression);
  if (steps <= mostWrittenSteps) return expression;
  throw new NotUnderstood(
    `This takes up to ${steps.toLocaleString("en")} steps each time, because its lists multiply; ${mostWrittenSteps.toLocaleString("en")} are the most. Make the lists shorter, or use fewer exists() and all() inside one another.`,
    0,
  );
}

/** The first line of the parser's message, without its drawing. */
const firstLine = (message: string): string => (message.split("\n")[0] ?? message).trim();

/** What went wrong with a source, where it is the source's fault. */
function problemOf(error: unknown): { readonly ok: false; readonly problem: ConditionProblem } {
  if (error instanceof NotUnderstood)
    return {
      ok: false,
      problem: {
        message: error.message,
        offset: error.offset,
        ...(error.misspelt ? { misspelt: error.misspelt } : {}),
      },
    };
  const node = (error as { node?: { pos?: number } }).node;
  if (error instanceof Error && node)
    return { ok: false, problem: { message: `${firstLine(error.message)}.`, offset: node.pos ?? 0 } };
  throw error;
}

/**
 * Reads a condition written in CEL (Common Expression Language) and checks it against the table.
 *
 * @param source at most 400 parts, 40 deep, and 5,000 steps by the lists that are written in it
 * @param table the table whose columns `row` names
 * @param form the table whose columns `form` names; null where `form` is not known at this place
 */
export function parseCondition(source: string, table: Table, form: Table | null): ConditionResult {
  try {
    const expression = bounded(new Reader(table, form).truth(environment.parse(source).ast));
    const columns = (from: "row" | "form"): string[] => [
      ...new Set(
        everyPart(expression).flatMap((part) => (part.op === "column" && part.from === from ? [part.column.name] : [])),
      ),
    ];
    return { ok: true, condition: { source, expression, rowColumns: columns("row"), formColumns: columns("form") } };
  } catch (error) {
    return problemOf(error);
  }
}

type ValueResult =
  | { readonly ok: true; readonly value: ValueExpression }
  | { readonly ok: false; readonly problem: ConditionProblem };

/** Reads an expression for the value of a column, over `actor` and `now`, and over the `form` where there is one. */
export function parseValue(source: string, column: Column, table: Table, form: Table | null = null): ValueResult {
  try {
    const { ast } = environment.parse(source);
    const expression = bounded(new Reader(table, form).read(ast));
    const columns = everyPart(expression).flatMap((part) => (part.op === "column" ? [part] : []));
    if (columns.some(({ from }) => from === "row"))
      throw new NotUnderstood(
        `A value is made of ${form ? '"form", ' : ""}"actor", "now" and what is written here; "row" is not known here.`,
        0,
      );
    if (!commonType(column.type.kind, typeOf(expression)) && typeOf(expression) !== "text")
      throw new NotUnderstood(
        `A ${typeOf(expression)} can't be the value of ${column.name}, a ${column.type.shown}.`,
        ast.start,
      );
    const formColumns = [...new Set(columns.map((part) => part.column.name))];
    return { ok: true, value: { source, expression, formColumns } };
  } catch (error) {
    return problemOf(error);
  }
}
