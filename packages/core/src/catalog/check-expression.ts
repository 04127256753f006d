import { type Column, columnOf, type Table } from "../table/model.js";
import { bare, partsOf as partsOfText } from "./check-text.js";
import { isDemanded } from "./demands.js";

/** What a part of a CHECK is, after reading. */
type Node =
  | { readonly is: "column"; readonly column: Column }
  /** A constant as CEL writes it. */
  | { readonly is: "constant"; readonly cel: string; readonly type: string }
  | { readonly is: "compare"; readonly by: Order; readonly left: Node; readonly right: Node }
  | { readonly is: "null"; readonly of: Node; readonly negated: boolean }
  | { readonly is: "and" | "or"; readonly parts: readonly Node[] }
  | { readonly is: "not"; readonly of: Node }
  | { readonly is: "arithmetic"; readonly by: string; readonly left: Node; readonly right: Node }
  /** How many characters a text has. */
  | { readonly is: "size"; readonly of: Node }
  /** One condition where another one is true, and a third where it isn't. */
  | { readonly is: "choose"; readonly when: Node; readonly chosen: Node; readonly otherwise: Node }
  | { readonly is: "in"; readonly of: Node; readonly list: readonly Node[] }
  /** `COALESCE(of, otherwise)`: stands in a comparison only. */
  | { readonly is: "otherwise"; readonly of: Node; readonly otherwise: Node }
  /** How many have a value, or have none: stands in a comparison only. */
  | { readonly is: "count"; readonly of: readonly Node[]; readonly negated: boolean };

type Order = "=" | "<>" | "<" | "<=" | ">" | ">=";

/** What a part of a CHECK demands, beyond the rules of single columns. */
export interface Demanded {
  /** The same over `form`, in CEL: it may be true or unknown where the CHECK is, and is false only where the CHECK is. */
  readonly cel: string;
  /** As PostgreSQL prints it, without parentheses around the whole. */
  readonly sql: string;
  /** All columns that it asks about. */
  readonly columns: readonly string[];
  /**
   * What can be said of it in words: one column beside another, a column that is needed where the rest holds, some of which one is needed, or
   * values that one column must not have.
   */
  readonly says:
    | { readonly order: Order; readonly left: string; readonly right: string }
    | { readonly needed: string }
    | { readonly oneOf: readonly string[] }
    | { readonly noneOf: readonly string[] }
    | null;
}

/** Why reading ends: what follows has no counterpart that means the same. */
class Unreadable extends Error {}

const tokens = /'(?:[^']|'')*'|"(?:[^"]|"")*"|[\p{L}_][\p{L}\p{N}_$]*|\d+(?:\.\d+)?|::|<>|<=|>=|[-+*=<>(),.[\]]|\S/gu;

const times: ReadonlySet<string> = new Set(["date", "time", "timestamp", "timestamptz"]);
const wholeNumbers: ReadonlySet<string> = new Set(["smallint", "integer", "bigint"]);
const plainTexts: ReadonlySet<string> = new Set(["text", "character varying"]);

/**
 * In what way a column is compared, and null where ours could differ from PostgreSQL's: floating point, texts with blanks or in either case,
 * and what is rounded when it is stored.
 */
function typeOfColumn({ type }: Column): string | null {
  const { kind, cast, scale, shown, folded } = type;
  if (kind === "integer" || kind === "decimal") return (scale ?? 0) < 0 ? null : "number";
  if (times.has(kind)) return shown.includes("(") ? null : kind;
  if (kind === "text") return plainTexts.has(cast) && !folded ? "text" : null;
  return kind === "enum" ? `enum ${cast}` : kind === "boolean" || kind === "uuid" ? kind : null;
}

const typeOf = (node: Node): string | null => {
  if (node.is === "column") return typeOfColumn(node.column);
  if (node.is === "constant") return node.type;
  if (node.is === "otherwise") return typeOf(node.of);
  return node.is === "arithmetic" || node.is === "count" || node.is === "size" ? "number" : "boolean";
};

/** Whether two parts can be compared so: constants of an enum are of any until they are beside a column. */
function mayCompare(left: Node, by: Order, right: Node): boolean {
  const [one, other] = [typeOf(left), typeOf(right)];
  if (one === null || one !== other) return false;
  return by === "=" || by === "<>" || one === "number" || times.has(one);
}

const not = (of: Node): Node => ({ is: "not", of });
const all = (...parts: readonly Node[]): Node => ({ is: "and", parts });
const any = (parts: readonly Node[]): Node => (parts.length === 1 && parts[0] ? parts[0] : { is: "or", parts });
const truth = (holds: boolean): Node => ({ is: "constant", cel: String(holds), type: "boolean" });
const isConditional = (node: Node): boolean =>
  typeOf(node) === "boolean" && node.is !== "column" && node.is !== "constant";

/** A comparison, written out where a side of it is no value by itself: unknown stays unknown. */
function compared(left: Node, by: Order, right: Node): Node {
  if (!mayCompare(left, by, right)) throw new Unreadable();
  for (const [side, other] of [
    [left, (each: Node) => compared(each, by, right)],
    [right, (each: Node) => compared(left, by, each)],
  ] as const) {
    if (side.is !== "otherwise") continue;
    const isThere = (negated: boolean): Node => ({ is: "null", of: side.of, negated });
    return any([all(isThere(true), other(side.of)), all(isThere(false), other(side.otherwise))]);
  }
  if (left.is === "count" || right.is === "count") return counted(left, by, right);
  if (!isConditional(left) && !isConditional(right)) return { is: "compare", by, left, right };
  const other = by === "=" ? right : not(right);
  return any([all(left, other), all(not(left), by === "=" ? not(right) : right)]);
}

/** So many columns are told apart by which of them have a value. */
const mostCounted = 4;

/** `num_nonnulls(a, b) = 1`: which of them have a value, in each way that the number can be had. */
function counted(left: Node, by: Order, right: Node): Node {
  if (left.is !== "count" || right.is !== "constant" || left.of.length > mostCounted) throw new Unreadable();
  const { of, negated } = left;
  const bound = Number(right.cel);
  const fits: Readonly<Record<Order, (count: number) => boolean>> = {
    "=": (count) => count === bound,
    "<>": (count) => count !== bound,
    "<": (count) => count < bound,
    "<=": (count) => count <= bound,
    ">": (count) => count > bound,
    ">=": (count) => count >= bound,
  };
  const has = (each: Node, isThere: boolean): Node => ({ is: "null", of: each, negated: isThere !== negated });
  const numbers = of.map((_, index) => index + 1);
  // One at least is said as such.
  if (!fits[by](0) && numbers.every(fits[by])) return any(of.map((each) => has(each, true)));
  const ways = Array.from({ length: 2 ** of.length }, (_, way) => of.map((__, place) => ((way >> place) & 1) === 1));
  const fitting = ways.filter((way) => fits[by](way.filter(Boolean).length));
  if (fitting.length === 0) throw new Unreadable();
  return any(fitting.map((way) => all(...way.map((isThere, place) => has(of[place] as Node, isThere)))));
}

/** Reads an expression as `pg_get_constraintdef` prints it, with parentheses around all parts. */
class Reader {
  private readonly tokens: readonly string[];
  private at = 0;

  constructor(
    text: string,
    private readonly table: Table,
  ) {
    this.tokens = text.match(tokens) ?? [];
  }

  private get next(): string | undefined {
    return this.tokens[this.at];
  }

  private take(...wanted: readonly string[]): boolean {
    if (!wanted.every((token, index) => this.tokens[this.at + index] === token)) return false;
    this.at += wanted.length;
    return true;
  }

  private need(token: string): void {
    if (!this.take(token)) throw new Unreadable();
  }

  whole(): Node {
    const read = this.either();
    if (this.next !== undefined) throw new Unreadable();
    return this.truth(read);
  }

  private truth(node: Node): Node {
    if (typeOf(node) !== "boolean") throw new Unreadable();
    return node;
  }

  private joined(word: "AND" | "OR", part: () => Node): Node {
    const parts = [part()];
    while (this.take(word)) parts.push(part());
    const [only] = parts;
    return parts.length === 1 && only
      ? only
      : { is: word === "AND" ? "and" : "or", parts: parts.map((each) => this.truth(each)) };
  }

  private either = (): Node => this.joined("OR", () => this.joined("AND", () => this.negation()));

  private negation(): Node {
    return this.take("NOT") ? { is: "not", of: this.truth(this.negation()) } : this.comparison();
  }

  private comparison(): Node {
    const left = this.sum();
    if (this.take("IS", "NOT", "NULL")) return this.missing(left, true);
    if (this.take("IS", "NULL")) return this.missing(left, false);
    if (this.take("IS")) return this.is(left);
    const by = this.next;
    if (by === undefined || !["=", "<>", "<", "<=", ">", ">="].includes(by)) return left;
    this.at += 1;
    const list = this.list(by as Order, left);
    if (list) return list;
    return compared(left, by as Order, this.sum());
  }

  /** `IS [NOT] DISTINCT FROM`, `IS [NOT] TRUE` and `IS [NOT] FALSE`, none of which is ever unknown. */
  private is(left: Node): Node {
    const isNegated = this.take("NOT");
    if (this.take("DISTINCT", "FROM")) {
      const right = this.sum();
      const isThere = (of: Node, negated: boolean): Node =>
        of.is === "constant" ? truth(negated) : this.missing(of, negated);
      const [one, other] = [isThere(left, true), isThere(right, true)];
      const differs = all(one, other, compared(left, "<>", right));
      const distinct = any([all(one, isThere(right, false)), all(isThere(left, false), other), differs]);
      return isNegated ? not(distinct) : distinct;
    }
    const wanted = this.take("TRUE");
    if (!wanted) this.need("FALSE");
    const when = wanted ? this.truth(left) : not(this.truth(left));
    return { is: "choose", when, chosen: truth(!isNegated), otherwise: truth(isNegated) };
  }

  /** `CASE WHEN … THEN … ELSE … END`: without an ELSE it may be unknown. */
  private cases(): Node {
    if (this.take("ELSE")) {
      const otherwise = this.truth(this.either());
      this.need("END");
      return otherwise;
    }
    this.need("WHEN");
    const when = this.truth(this.either());
    this.need("THEN");
    const chosen = this.truth(this.either());
    return { is: "choose", when, chosen, otherwise: this.cases() };
  }

  /** Of a composite value NULL is another question; such a column is of no kind. */
  private missing(of: Node, negated: boolean): Node {
    if (of.is !== "column" || ["other", "json"].includes(of.column.type.kind)) throw new Unreadable();
    return { is: "null", of, negated };
  }

  /** `= ANY (ARRAY['new'::text, …])` and `<> ALL (ARRAY[…])`, with a cast of the list where the column is shorter. */
  private list(by: Order, of: Node): Node | null {
    const isAny = by === "=" && this.take("ANY", "(");
    if (!isAny && !(by === "<>" && this.take("ALL", "("))) return null;
    const isWrapped = this.take("(");
    this.need("ARRAY");
    this.need("[");
    const list = this.listed("]");
    if (isWrapped) {
      this.need(")");
      this.castName();
      this.need("[");
      this.need("]");
    }
    this.need(")");
    if (!list.every((each) => each.is === "constant" && mayCompare(of, "=", each))) throw new Unreadable();
    const found: Node = { is: "in", of, list };
    return isAny ? found : { is: "not", of: found };
  }

  private listed(end: string): readonly Node[] {
    const parts = [this.either()];
    while (this.take(",")) parts.push(this.either());
    this.need(end);
    return parts;
  }

  private number(node: Node): Node {
    if (typeOf(node) !== "number") throw new Unreadable();
    return node;
  }

  private chain(signs: readonly string[], part: () => Node): Node {
    const left = part();
    const by = this.next;
    if (by === undefined || !signs.includes(by)) return left;
    this.at += 1;
    return { is: "arithmetic", by, left: this.number(left), right: this.number(part()) };
  }

  private sum = (): Node => this.chain(["+", "-"], () => this.chain(["*"], () => this.cast()));

  private cast(): Node {
    let node = this.primary();
    while (this.take("::")) node = this.asType(node, this.typeName());
    return node;
  }

  private castName(): void {
    this.need("::");
    this.typeName();
  }

  /** `numeric`, `character varying`, `network.status`; a length or a list is not read. */
  private typeName(): string {
    const names: string[] = [];
    while (this.next !== undefined && /^([\p{Ll}_"]|\.$)/u.test(this.next)) {
      names.push(this.next);
      this.at += 1;
    }
    if (names.length === 0 || this.next === "(") throw new Unreadable();
    return names.join(" ").replaceAll(" . ", ".");
  }

  /** A cast that changes nothing of what a comparison says. */
  private asType(node: Node, type: string): Node {
    const from = typeOf(node);
    if (node.is === "constant" && node.type === "text") return constantOf(node, type, this.table);
    if (from === "number" && (type === "numeric" || (wholeNumbers.has(type) && isWhole(node)))) return node;
    if (from === "text" && plainTexts.has(type)) return node;
    throw new Unreadable();
  }

  private primary(): Node {
    if (this.take("(")) {
      const inner = this.either();
      this.need(")");
      return inner;
    }
    if (this.take("CASE")) return this.cases();
    for (const name of ["length", "char_length", "character_length"]) {
      if (!this.take(name, "(")) continue;
      const [of, ...more] = this.listed(")");
      if (of?.is !== "column" || typeOf(of) !== "text" || more.length > 0) throw new Unreadable();
      return { is: "size", of };
    }
    if (this.take("COALESCE", "(")) {
      const [of, otherwise, ...more] = this.listed(")");
      if (!of || !otherwise || more.length > 0 || !mayCompare(of, "=", otherwise)) throw new Unreadable();
      return { is: "otherwise", of, otherwise };
    }
    for (const [name, negated] of [
      ["num_nonnulls", false],
      ["num_nulls", true],
    ] as const) {
      if (!this.take(name, "(")) continue;
      const of = this.listed(")");
      for (const each of of) this.missing(each, negated);
      return { is: "count", of, negated };
    }
    const token = this.next ?? "";
    this.at += 1;
    if (/^\d/.test(token)) return { is: "constant", cel: token, type: "number" };
    if (token === "-" && /^\d/.test(this.next ?? ""))
      return { is: "constant", cel: `-${this.tokens[this.at++]}`, type: "number" };
    if (token.startsWith("'"))
      return { is: "constant", cel: JSON.stringify(token.slice(1, -1).replaceAll("''", "'")), type: "text" };
    if (token === "true" || token === "false") return { is: "constant", cel: token, type: "boolean" };
    const name = token.startsWith('"') ? token.slice(1, -1).replaceAll('""', '"') : token;
    const column = columnOf(this.table, name);
    if (!column || this.next === "(" || this.next === ".") throw new Unreadable();
    return { is: "column", column };
  }
}

/** Whether a number has nothing after its point, so that a cast to whole numbers keeps it. */
const isWhole = (node: Node): boolean =>
  node.is === "column" ? node.column.type.kind === "integer" : node.is === "constant" && /^-?\d+$/.test(node.cel);

/** A text with a cast behind it: `'-1'::integer`, `'2020-01-01'::date`, `'live'::network.status`. */
function constantOf(node: Node & { is: "constant" }, type: string, table: Table): Node {
  const text = String(JSON.parse(node.cel));
  if (plainTexts.has(type)) return node;
  if ((type === "numeric" || wholeNumbers.has(type)) && /^-?\d+(\.\d+)?$/.test(text))
    return { is: "constant", cel: text, type: "number" };
  if (type === "date" && /^\d{4}-\d\d-\d\d$/.test(text)) return { ...node, type };
  const isEnum = ({ type: of }: Column): boolean =>
    of.kind === "enum" && [of.cast, of.shown].some((name) => name.replaceAll('"', "") === type.replaceAll('"', ""));
  const found = table.columns.find(isEnum);
  if (!found) throw new Unreadable();
  return { ...node, type: `enum ${found.type.cast}` };
}

const signs: Readonly<Record<Order, string>> = { "=": "==", "<>": "!=", "<": "<", "<=": "<=", ">": ">", ">=": ">=" };

function celOf(node: Node): string {
  switch (node.is) {
    case "column":
      return `form[${JSON.stringify(node.column.name)}]`;
    case "constant":
      return node.cel;
    case "compare":
      return `(${celOf(node.left)} ${signs[node.by]} ${celOf(node.right)})`;
    case "null":
      return `(${celOf(node.of)} ${node.negated ? "!=" : "=="} null)`;
    case "and":
    case "or":
      return `(${node.parts.map(celOf).join(node.is === "and" ? " && " : " || ")})`;
    case "not":
      return `!${celOf(node.of)}`;
    case "arithmetic":
      return `(${celOf(node.left)} ${node.by} ${celOf(node.right)})`;
    case "in":
      return `(${celOf(node.of)} in [${node.list.map(celOf).join(", ")}])`;
    case "size":
      return `size(${celOf(node.of)})`;
    case "choose":
      return `(${celOf(node.when)} ? ${celOf(node.chosen)} : ${celOf(node.otherwise)})`;
    default:
      throw new Unreadable();
  }
}

const insideOf = (node: Node): readonly Node[] => {
  switch (node.is) {
    case "compare":
    case "arithmetic":
      return [node.left, node.right];
    case "and":
    case "or":
      return node.parts;
    case "in":
      return [node.of, ...node.list];
    case "null":
    case "not":
    case "size":
      return [node.of];
    case "choose":
      return [node.when, node.chosen, node.otherwise];
    default:
      return [];
  }
};

const columnsIn = (node: Node): readonly string[] => [
  ...new Set(node.is === "column" ? [node.column.name] : insideOf(node).flatMap(columnsIn)),
];

const alternativesOf = (node: Node): readonly Node[] =>
  node.is === "or" ? node.parts.flatMap(alternativesOf) : [node];

const presentIn = (node: Node): string | undefined =>
  node.is === "null" && node.negated && node.of.is === "column" ? node.of.column.name : undefined;

const constantText = (node: Node): string =>
  node.is !== "constant" ? "" : node.type === "text" ? String(JSON.parse(node.cel)) : node.cel;

/** The constants that a column must not be: `status <> 'x'`, `NOT IN`. */
function excludedBy(node: Node): readonly string[] | undefined {
  const constants = (of: Node, list: readonly Node[]): readonly string[] | undefined =>
    of.is === "column" &&
    ["text", "number"].includes(typeOf(of) ?? "") &&
    !list.some((each) => constantText(each) === "")
      ? list.map(constantText)
      : undefined;
  if (node.is === "compare" && node.by === "<>" && node.right.is === "constant")
    return constants(node.left, [node.right]);
  return node.is === "not" && node.of.is === "in" ? constants(node.of.of, node.of.list) : undefined;
}

/** What can be said of a part in words. */
function saysOf(node: Node): Demanded["says"] {
  const alternatives = alternativesOf(node);
  const needed = alternatives.flatMap((each) => presentIn(each) ?? []);
  if (needed.length > 1 && needed.length === alternatives.length) return { oneOf: needed };
  if (needed.length === 1 && needed[0] !== undefined) return { needed: needed[0] };
  if (node.is === "choose" && node.otherwise.is === "constant" && node.otherwise.cel === "true")
    return saysOf(node.chosen);
  // (status = 'closed') = (closed_on IS NOT NULL), written out.
  const [both, neither] = alternatives;
  if (
    both?.is === "and" &&
    neither?.is === "and" &&
    alternatives.length === 2 &&
    neither.parts.every(({ is }) => is === "not")
  ) {
    const present = both.parts.flatMap((each) => presentIn(each) ?? []);
    if (both.parts.length === 2 && present.length === 1 && present[0] !== undefined) return { needed: present[0] };
  }
  const [only, ...more] = alternatives.filter((each) => !(each.is === "null" && !each.negated));
  if (more.length > 0 || !only) return null;
  const excluded = excludedBy(only);
  if (excluded && columnsIn(node).length === 1) return { noneOf: excluded };
  if (only.is !== "compare") return null;
  const { left, by, right } = only;
  if (left.is !== "column" || right.is !== "column") return null;
  const isOfThem = (name: string): boolean => name === left.column.name || name === right.column.name;
  return columnsIn(node).every(isOfThem) ? { order: by, left: left.column.name, right: right.column.name } : null;
}

/**
 * Reads what a CHECK constraint demands of several columns together, or of one where no rule says it, from the form in which
 * `pg_get_constraintdef` prints it: comparisons, IS NULL, AND, OR, NOT, CASE, lists of constants, sums and products of exact numbers, lengths,
 * COALESCE, `num_nonnulls`. A part that has anything else in it is left out, and judged by the table alone.
 *
 * @param definition `CHECK ((ends_on >= starts_on))`
 */
export function demandedIn(definition: string, table: Table): readonly Demanded[] {
  const inner = /^CHECK \((.*)\)$/s.exec(definition)?.[1];
  return inner === undefined ? [] : partsOfText(inner, "AND").flatMap((part) => partIn(part, table));
}

function partIn(part: string, table: Table): readonly Demanded[] {
  try {
    const node = new Reader(part, table).whole();
    const columns = columnsIn(node);
    if (columns.length === 0 || (columns.length === 1 && isDemanded(part, columns))) return [];
    return [{ cel: celOf(node), sql: bare(part), columns, says: saysOf(node) }];
  } catch (error) {
    if (error instanceof Unreadable) return [];
    throw error;
  }
}
