import { readdirSync, readFileSync } from "node:fs";
import path from "node:path";
import { describe, expect, test } from "@jest/globals";
import { parseSync } from "@swc/core";
import { texts } from "./texts.js";

const here = import.meta.dirname;

/** The files of the workbench's components, by path. */
const files = readdirSync(here, { recursive: true, encoding: "utf8" }).filter(
  (name) => /\.tsx?$/.test(name) && !/\.test\.ts$|\.d\.ts$|^texts\.ts$/.test(name),
);
const sources = new Map(files.map((name) => [name, readFileSync(path.join(here, name), "utf8")]));

/** Attributes that people read or hear. */
const read = new Set(["label", "aria-label", "title", "placeholder", "what", "alt"]);

interface Node {
  readonly type?: string;
  readonly value?: unknown;
  readonly name?: { readonly value?: string };
}

/** The texts that stand in JSX itself. */
function literals(node: unknown): string[] {
  if (Array.isArray(node)) return node.flatMap(literals);
  if (typeof node !== "object" || node === null) return [];
  const { type, value, name } = node as Node;
  if (type === "JSXText") return /\p{L}{2}/u.test(String(value)) ? [String(value).trim()] : [];
  const attribute = value as Node | undefined;
  const isRead = type === "JSXAttribute" && read.has(name?.value ?? "") && attribute?.type === "StringLiteral";
  const own = isRead && /\p{L}{2}/u.test(String(attribute?.value)) ? [String(attribute?.value)] : [];
  return [...own, ...Object.values(node).flatMap(literals)];
}

/** Every text, with places filled by letters. */
const all = (of: unknown): string[] => {
  if (typeof of === "string") return [of];
  if (typeof of === "function") return [String(of("a", "b", "c"))];
  return Object.values(of as object).flatMap(all);
};

describe("what the workbench says", () => {
  test.each([...sources].filter(([name]) => name.endsWith("x")))("%s says nothing of its own", (_, source) => {
    expect(literals(parseSync(source, { syntax: "typescript", tsx: true }))).toEqual([]);
  });

  test("every text is said by a file that takes its section", () => {
    const unsaid = Object.entries(texts).flatMap(([section, of]) => {
      const takes = new RegExp(`texts\\.${section}\\b|\\b${section}: \\w+.*\\} = texts`);
      const takers = [...sources.values()].filter((source) => takes.test(source)).join("\n");
      if (takers === "") return [section];
      // What is taken as a whole, by name of something else, is said by it.
      if (typeof of === "function" || section === "views") return [];
      return Object.keys(of)
        .filter((name) => !new RegExp(`\\.${name}\\b`).test(takers))
        .map((name) => `${section}.${name}`);
    });
    expect(unsaid).toEqual([]);
  });

  test("is written as docs/words.md has it: no straight quotation marks, no dots of three, nothing shouted", () => {
    for (const text of all(texts)) {
      expect(text).not.toMatch(/"|\.\.\.|!$/);
      expect(text).not.toMatch(
        /\b[A-Z]{2,}\b(?<!API|CEL|SQL|YAML|ID|UTC|VALIDATE|USAGE|SELECT|NULL|NAME|PAGE|LOG|HAR)/,
      );
    }
  });
});
