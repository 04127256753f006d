import { parse } from "@babel/parser";
import type { Place } from "./html-form.js";

/*
 * JavaScript and TypeScript as a tree (ESTree, with what TypeScript adds), as far as it is asked here: nodes with their children, whatever they are.
 */

export interface Node {
  readonly type: string;
  readonly loc: { readonly start: { readonly line: number; readonly column: number } };
  readonly [name: string]: unknown;
}

const isNode = (value: unknown): value is Node =>
  typeof value === "object" && value !== null && "type" in value && "loc" in value;

/** What a text is as code; a sentence that says where it is none. */
export function readCode(text: string): Node | string {
  try {
    const { program } = parse(text, {
      sourceType: "unambiguous",
      plugins: ["typescript", "jsx", "decorators"],
      errorRecovery: true,
    });
    return program as unknown as Node;
  } catch (error) {
    return (error as Error).message;
  }
}

export const placeOf = ({ loc: { start } }: Node): Place => ({ line: start.line, column: start.column + 1 });

/** The nodes directly below one. */
const childrenOf = (node: Node): readonly Node[] =>
  Object.entries(node).flatMap(([name, value]) => {
    if (name === "loc" || name.endsWith("Comments") || name === "errors" || name === "tokens") return [];
    return Array.isArray(value) ? value.filter(isNode) : isNode(value) ? [value] : [];
  });

/** A node and all below it, in the order of the text. */
export function within(node: Node): readonly Node[] {
  const found: Node[] = [];
  const waiting = [node];
  for (let each = waiting.pop(); each; each = waiting.pop()) {
    found.push(each);
    waiting.push(...[...childrenOf(each)].reverse());
  }
  return found;
}

/** A node's parents within a tree. */
export function parentsIn(root: Node): ReadonlyMap<Node, Node> {
  const parents = new Map<Node, Node>();
  for (const node of within(root)) for (const child of childrenOf(node)) parents.set(child, node);
  return parents;
}

/** A name, or a chain of them: `req.body.name` is `["req", "body", "name"]`; null where something else is in it. */
export function pathOf(node: unknown): readonly string[] | null {
  if (!isNode(node)) return null;
  if (node.type === "Identifier") return [node.name as string];
  if (node.type === "TSNonNullExpression" || node.type === "TSAsExpression") return pathOf(node.expression);
  if (node.type !== "MemberExpression" && node.type !== "OptionalMemberExpression") return null;
  const object = pathOf(node.object);
  const property = node.property as Node;
  const name =
    node.computed === true
      ? property.type === "StringLiteral"
        ? (property.value as string)
        : null
      : (property.name as string);
  return object && name !== null ? [...object, name] : null;
}

export const isFunction = ({ type }: Node): boolean =>
  type === "ArrowFunctionExpression" || type === "FunctionExpression" || type === "FunctionDeclaration";

/** Whether an expression is a text, or has one in it that others are put to. */
export function isText(node: Node): boolean {
  // To the left as far as it goes: a long text is put together of thousands.
  for (let at = node; ; at = at.left as Node) {
    if (at.type === "StringLiteral" || at.type === "TemplateLiteral") return true;
    if (at.type !== "BinaryExpression" || at.operator !== "+") return false;
    const right = at.right as Node;
    if (right.type === "StringLiteral" || right.type === "TemplateLiteral") return true;
  }
}

/** A text that is put together: what is fixed of it, with `?` for the rest, and the expressions in it. Null for what is no text. */
export function textOf(node: Node): { readonly text: string; readonly inserted: readonly Node[] } | null {
  if (node.type === "StringLiteral") return { text: node.value as string, inserted: [] };
  if (node.type === "TemplateLiteral") {
    const quasis = node.quasis as readonly { readonly value: { readonly cooked: string } }[];
    return { text: quasis.map(({ value }) => value.cooked).join(" ? "), inserted: node.expressions as readonly Node[] };
  }
  if (node.type === "BinaryExpression" && node.operator === "+") {
    const [left, right] = [node.left as Node, node.right as Node];
    const [a, b] = [textOf(left), textOf(right)];
    if (!a && !b) return null;
    return {
      text: `${a?.text ?? " ? "}${b?.text ?? " ? "}`,
      inserted: [...(a ? a.inserted : [left]), ...(b ? b.inserted : [right])],
    };
  }
  return null;
}
