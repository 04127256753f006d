import type { Expression as Asked, Comparison, ValueType } from "@loyal-quill/core/condition/expression";
import { everyPart } from "@loyal-quill/core/condition/expression";
import { castOf, operators } from "@loyal-quill/core/condition/to-sql";
import type { Column } from "@loyal-quill/core/table/model";
import { castIn, identifier, member, quote, sqlText } from "./source.js";

/*
 * A page's conditions as plain expressions of TypeScript and of SQL. A condition knows a third truth, "unknown", where a value is missing; plain
 * expressions don't. So each is written for what is wanted of it: that it is surely true, or surely false.
 */

/** What an expression of TypeScript needs beside itself. */
type Need = "big" | "instant" | "length";

/** Thrown where a condition has no plain form here. */
export class NotPlain extends Error {}

/** Where the values of a condition are found in the code. */
export interface Places {
  /** The variables that hold the row, the form, the actor and the moment. */
  readonly row: string;
  readonly form: string;
  readonly actor: string;
  readonly now: string;
}

interface Value {
  readonly code: string;
  /** The expressions of which none may be null. */
  readonly guards: readonly string[];
  /** Whether it is a literal, a number of JavaScript, or an exact one already. */
  readonly is?: "literal" | "number" | "exact";
  /** Whether a number of JavaScript can't hold all its values. */
  readonly isWide?: boolean;
}

const opposite: Readonly<Record<Comparison, Comparison>> = {
  "==": "!=",
  "!=": "==",
  "<": ">=",
  "<=": ">",
  ">": "<=",
  ">=": "<",
};

const bigMethods: Readonly<Record<Comparison, string>> = {
  "==": "eq",
  "!=": "eq",
  "<": "lt",
  "<=": "lte",
  ">": "gt",
  ">=": "gte",
};

const joined = (by: "&&" | "||", parts: readonly string[]): string => {
  const others = parts.filter((part) => part !== (by === "&&" ? "true" : "false"));
  if (others.some((part) => part === (by === "&&" ? "false" : "true"))) return by === "&&" ? "false" : "true";
  if (others.length === 0) return by === "&&" ? "true" : "false";
  return others.length === 1 ? (others[0] ?? "") : `(${others.join(` ${by} `)})`;
};

const exactSign = (by: Comparison): string => (by === "==" ? "===" : by === "!=" ? "!==" : by);

/** Writes conditions as expressions of TypeScript. */
export class PlainCode {
  readonly needs = new Set<Need>();
  private readonly variables = new Map<string, string>();

  constructor(private readonly places: Places) {}

  /** An expression that is true where the condition is surely so. */
  truth(asked: Asked, wanted = true): string {
    switch (asked.op) {
      case "and":
      case "or": {
        const isAll = (asked.op === "and") === wanted;
        return joined(isAll ? "&&" : "||", [this.truth(asked.left, wanted), this.truth(asked.right, wanted)]);
      }
      case "not":
        return this.truth(asked.of, !wanted);
      case "is-null":
        return `${this.value(asked.of).code} ${asked.negated === wanted ? "!==" : "==="} null`;
      case "compare":
        return this.compare(asked, wanted);
      case "in":
        return this.membership(asked, wanted);
      case "some":
      case "every":
        return this.quantifier(asked, wanted);
      case "startsWith":
      case "endsWith":
      case "contains": {
        const [of, part] = [this.value(asked.of), this.value(asked.part)];
        const method = asked.op === "contains" ? "includes" : asked.op;
        return joined("&&", [...this.present(of, part), `${wanted ? "" : "!"}${of.code}.${method}(${part.code})`]);
      }
      case "choose":
        return `(${this.truth(asked.condition)} ? ${this.truth(asked.chosen, wanted)} : ${this.truth(asked.otherwise, wanted)})`;
      case "literal":
        return String(asked.value === wanted || asked.value === String(wanted));
      default: {
        const value = this.value(asked);
        const isAttribute = asked.op === "actor";
        return isAttribute ? `${value.code} === ${wanted}` : `${value.code} === "${wanted}"`;
      }
    }
  }

  private present(...values: readonly Value[]): string[] {
    return [...new Set(values.flatMap(({ guards }) => guards.map((each) => `${each} !== null`)))];
  }

  private compare({ left, right, by: asked, type }: Asked & { op: "compare" }, wanted: boolean): string {
    const by = wanted ? asked : opposite[asked];
    const [a, b] = [this.value(left), this.value(right)];
    // What is the same as a literal is not null.
    const isPlain =
      by === "==" &&
      (a.is === "literal" || b.is === "literal") &&
      ![...[a, b]].some(({ is }) => is === "number" || is === "exact");
    const guards =
      isPlain && !["decimal", "float", "date", "timestamp", "timestamptz"].includes(type) ? [] : this.present(a, b);
    return joined("&&", [...guards, this.ordered(a, b, by, type)]);
  }

  private exact(value: Value): string {
    this.needs.add("big");
    return value.is === "exact" ? value.code : `new Big(${value.code})`;
  }

  private ordered(a: Value, b: Value, by: Comparison, type: ValueType): string {
    const isExact =
      type === "decimal" || [a, b].some(({ is, isWide }) => is === "exact" || (isWide && by !== "==" && by !== "!="));
    if (isExact) return `${by === "!=" ? "!" : ""}${this.exact(a)}.${bigMethods[by]}(${b.code})`;
    switch (type) {
      case "integer": {
        const isText = (by === "==" || by === "!=") && a.is !== "number" && b.is !== "number";
        return isText ? `${a.code} ${exactSign(by)} ${b.code}` : `${numberOf(a)} ${exactSign(by)} ${numberOf(b)}`;
      }
      case "float":
        return `${numberOf(a)} ${exactSign(by)} ${numberOf(b)}`;
      case "date":
      case "timestamp":
      case "timestamptz":
        this.needs.add("instant");
        return `${this.instant(a)} ${exactSign(by)} ${this.instant(b)}`;
      default:
        return `${a.code} ${exactSign(by)} ${b.code}`;
    }
  }

  private instant({ code }: Value): string {
    return code === this.places.now ? `${code}.getTime()` : `instant(${code})`;
  }

  private membership({ value, list }: Asked & { op: "in" }, wanted: boolean): string {
    const given = this.value(value);
    const call = `${this.list(list)}.includes(${given.code})`;
    const inList =
      list.op === "list" && given.is === "number"
        ? `[${list.members.map((each) => numberOf(this.value(each))).join(", ")}].includes(${given.code})`
        : call;
    return joined("&&", [...this.present(given), wanted ? inList : `!${inList}`]);
  }

  private list(list: Asked): string {
    if (list.op === "actor") return member(this.places.actor, list.attribute);
    if (list.op === "list") return `[${list.members.map((each) => this.value(each).code).join(", ")}]`;
    throw new NotPlain(`a list that is none of the actor's and none that is written out`);
  }

  private quantifier({ op, list, variable, body }: Asked & { op: "some" | "every" }, wanted: boolean): string {
    this.variables.set(variable, variable);
    const inside = this.truth(body, wanted);
    this.variables.delete(variable);
    const isSome = (op === "some") === wanted;
    return `${this.list(list)}.${isSome ? "some" : "every"}((${variable}) => ${inside})`;
  }

  /** The expression for a single value: a text, or null. */
  value(asked: Asked): Value {
    switch (asked.op) {
      case "literal":
        if (asked.value === null) throw new NotPlain("a comparison with null");
        return { code: quote(String(asked.value)), guards: [], is: "literal" };
      case "column": {
        const code = member(this.places[asked.from], asked.column.name);
        return { code, guards: isNullable(asked) ? [code] : [], isWide: asked.column.type.cast === "bigint" };
      }
      case "actor": {
        const code = member(this.places.actor, asked.attribute);
        return { code, guards: ["id", "name"].includes(asked.attribute) ? [] : [code] };
      }
      case "variable":
        return { code: this.variables.get(asked.name) ?? asked.name, guards: [] };
      case "now":
        return { code: this.places.now, guards: [] };
      case "size": {
        this.needs.add("length");
        const of = this.value(asked.of);
        return { code: `lengthOf(${of.code})`, guards: of.guards, is: "number" };
      }
      case "arithmetic": {
        const [left, right] = [this.value(asked.left), this.value(asked.right)];
        const methods = { "+": "plus", "-": "minus", "*": "times" } as const;
        return {
          code: `${this.exact(left)}.${methods[asked.by]}(${right.code})`,
          guards: [...left.guards, ...right.guards],
          is: "exact",
        };
      }
      default:
        throw new NotPlain(`"${asked.op}" inside of a comparison`);
    }
  }
}

/** A value as a number of JavaScript. */
const numberOf = ({ code, is }: Value): string =>
  is === "number" ? code : is === "literal" ? code.slice(1, -1) : `Number(${code})`;

/** A form's values may all be missing, whatever the table says of its column. */
const isNullable = ({ from, column }: Asked & { op: "column" }): boolean => from === "form" || column.nullable;

const asksForRow = (asked: Asked): boolean =>
  everyPart(asked).some((part) => part.op === "column" && part.from === "row");

/** Writes conditions over a row as predicates: what only asks for the actor is worked out before, and is a parameter. */
export class PlainSql {
  constructor(
    private readonly code: PlainCode,
    /** The alias of the row, as it stands in the template literal of the statement. */
    private readonly alias: string,
  ) {}

  truth(asked: Asked, wanted = true): string {
    if (!asksForRow(asked)) return `\${$(${this.code.truth(asked, wanted)})}::boolean`;
    switch (asked.op) {
      case "and":
      case "or": {
        const isAll = (asked.op === "and") === wanted;
        return `(${this.truth(asked.left, wanted)} ${isAll ? "AND" : "OR"} ${this.truth(asked.right, wanted)})`;
      }
      case "not":
        return this.truth(asked.of, !wanted);
      case "is-null":
        return `${this.value(asked.of, "any", undefined)} IS ${asked.negated === wanted ? "NOT " : ""}NULL`;
      case "compare": {
        const by = wanted ? asked.by : opposite[asked.by];
        const column =
          asked.left.op === "column" ? asked.left.column : asked.right.op === "column" ? asked.right.column : undefined;
        const collation = asked.type === "text" && !["==", "!="].includes(by) ? ' COLLATE "C"' : "";
        const side = (part: Asked): string => this.value(part, asked.type, column);
        return `${side(asked.left)} ${operators[by]} ${side(asked.right)}${collation}`;
      }
      case "in": {
        const column = asked.value.op === "column" ? asked.value.column : undefined;
        const value = this.value(asked.value, asked.type, column);
        if (asked.list.op === "list")
          return `${value} ${wanted ? "" : "NOT "}IN (${asked.list.members.map((each) => this.value(each, asked.type, column)).join(", ")})`;
        if (asked.list.op !== "actor") throw new NotPlain("a list that is none of the actor's");
        const list = `\${$(actor.${asked.list.attribute})}::text[]`;
        return wanted ? `${value}::text = ANY (${list})` : `${value}::text <> ALL (${list})`;
      }
      case "startsWith":
      case "contains":
      case "endsWith": {
        const [of, part] = [this.value(asked.of, "text", undefined), this.value(asked.part, "text", undefined)];
        const tests = {
          startsWith: `starts_with(${of}, ${part})`,
          contains: `strpos(${of}, ${part}) > 0`,
          endsWith: `right(${of}, char_length(${part})) = ${part}`,
        };
        return wanted ? tests[asked.op] : `NOT (${tests[asked.op]})`;
      }
      case "column":
        return `${wanted ? "" : "NOT "}${this.value(asked, "boolean", asked.column)}`;
      default:
        throw new NotPlain(`"${asked.op}" over the stored row`);
    }
  }

  private value(asked: Asked, type: ValueType, column: Column | undefined): string {
    const cast =
      type === "enum" ? (column ? castIn(column.type) : "text") : type === "text" ? "text" : (castOf[type] ?? "text");
    if (asked.op === "column" && asked.from === "row") {
      const name = `${this.alias}.${identifier(asked.column.name)}`;
      if (asked.column.type.folded) return `${name} COLLATE "C"`;
      const plain = asked.column.type.kind === "text" && !asked.column.type.shown.startsWith("character(");
      return (type === "text" && !plain) || (type === "enum" && column !== asked.column) ? `${name}::text` : name;
    }
    if (asked.op === "literal" && asked.value !== null) {
      const text = String(asked.value);
      if (["integer", "decimal", "boolean"].includes(type)) return text;
      return `${sqlText(text)}${type === "text" || type === "enum" || type === "any" ? "" : `::${cast}`}`;
    }
    if (asked.op === "size") return `char_length(${this.value(asked.of, "text", undefined)})`;
    return `\${$(${this.code.value(asked).code})}::${cast}`;
  }
}
