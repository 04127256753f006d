import { readdirSync, readFileSync } from "node:fs";
import path from "node:path";
import { describe, expect, test } from "@jest/globals";
import { parseSync } from "@swc/core";

const here = import.meta.dirname;
const files = readdirSync(here, { recursive: true, encoding: "utf8" }).filter(
  (name) => /\.tsx?$/.test(name) && !/\.test\.ts$|\.d\.ts$|^theme\.ts$/.test(name),
);

interface Node {
  readonly type?: string;
  readonly value?: unknown;
  readonly quasis?: readonly { readonly cooked: string }[];
}

/** All texts of a file: of JSX, of strings, and of templates with a figure in each of their places. Styles and imports are none. */
function textsIn(node: unknown): string[] {
  if (Array.isArray(node)) return node.flatMap(textsIn);
  if (typeof node !== "object" || node === null) return [];
  const { type, value, quasis } = node as Node;
  if (type === "ImportDeclaration" || type === "TaggedTemplateExpression" || type === "TsLiteralType") return [];
  const own =
    type === "StringLiteral" || type === "JSXText"
      ? [String(value)]
      : type === "TemplateLiteral" && quasis
        ? [quasis.map(({ cooked }) => cooked).join("1")]
        : [];
  return [...own, ...Object.values(node).flatMap(textsIn)];
}

/** A text in words is one with a space between two of them; whatever else a string is for has none, or no letters. */
const isInWords = (text: string): boolean => /\p{L}[,;:]? \p{L}/u.test(text);

/** What is said of a text that is not as docs/words.md has it. */
function faults(text: string, isJsx: boolean): string[] {
  const found: string[] = [];
  if (isInWords(text) && /(?<![<="])"(?![>"/\]])/.test(text)) found.push("straight quotation marks");
  if (/\p{L}\.\.\.|!$/u.test(text)) found.push("three dots, or an exclamation mark");
  if (
    isInWords(text) &&
    /\b[A-Z]{2,}\b(?<!API|CEL|SQL|YAML|ID|UTC|VALIDATE|USAGE|SELECT|NULL|NAME|PAGE|LOG|HAR|URL|TODO|EJS|HTML)/.test(
      text,
    )
  )
    found.push("shouting");
  // JSX lays its texts and values side by side: they read as one sentence there. Elsewhere a piece of one is glued.
  if (!isJsx && /^[,;] ?\p{L}|^ \(?\p{L}+ |\p{L}[,;:]? $/u.test(text) && text !== " and ")
    found.push("a piece of a sentence");
  return found.map((fault) => `${fault}: ${text}`);
}

describe("what the workbench says", () => {
  test.each(files)("%s says it as docs/words.md has it", (name) => {
    const source = readFileSync(path.join(here, name), "utf8");
    const syntax = parseSync(source, { syntax: "typescript", tsx: name.endsWith("x") });
    const jsx = new Set<string>();
    const collect = (node: unknown): void => {
      if (typeof node !== "object" || node === null) return;
      if ((node as Node).type === "JSXText") jsx.add(String((node as Node).value));
      for (const part of Object.values(node)) collect(part);
    };
    collect(syntax);
    expect(textsIn(syntax).flatMap((text) => faults(text, jsx.has(text)))).toEqual([]);
  });

  test("and the test of it finds what is wrong", () => {
    const source = `const a = ", and more"; const b = <p title='Say "no" to it'>Stop!</p>; const c = \`\${a} rows, \`; const d = "DO NOT press";`;
    const found = textsIn(parseSync(source, { syntax: "typescript", tsx: true })).flatMap((text) =>
      faults(text, false),
    );
    expect(found.map((each) => each.split(":")[0])).toEqual([
      "a piece of a sentence",
      "straight quotation marks",
      "three dots, or an exclamation mark",
      "a piece of a sentence",
      "shouting",
    ]);
  });
});
