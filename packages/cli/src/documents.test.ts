import { existsSync, readdirSync, readFileSync } from "node:fs";
import path from "node:path";
import { describe, expect, test } from "@jest/globals";
import type { Command } from "commander";
import { commands } from "./run.js";

const root = path.resolve(import.meta.dirname, "../../..");
const made = new Set(["node_modules", "dist", ".git", ".build", ".data", "coverage", "test-results"]);

/** Everything in the tree that is not made by a tool: files, and folders with a slash at their end. */
function walk(directory: string): readonly string[] {
  return readdirSync(path.join(root, directory), { withFileTypes: true }).flatMap((entry) => {
    const name = path.posix.join(directory, entry.name);
    // Packages are packed with copies of the documents.
    if (made.has(entry.name) || /^packages\/\w+\/docs$/.test(name)) return [];
    return entry.isDirectory() ? [`${name}/`, ...walk(name)] : [name];
  });
}

const tree = walk("");
const texts = tree
  .filter((name) => name.endsWith(".md"))
  .map((name) => ({ name, text: readFileSync(path.join(root, name), "utf8") }));
// Decisions and the changelog tell what was so on their day; their links still have to lead somewhere.
const current = texts.filter(({ name }) => !name.startsWith("docs/decisions/") && name !== "CHANGELOG.md");

const isThere = (named: string): boolean => tree.some((name) => name === named || name.endsWith(`/${named}`));

/** Spans of code in a text, blocks left out. */
const spans = (text: string): readonly string[] =>
  [...text.replace(/```[\s\S]*?```/g, "").matchAll(/`([^`\n]+)`/g)].map(([, span = ""]) => span);

/** Files and folders that a text names and that are not there. What is in capital letters stands for a name of one's own. */
const missingPaths = (text: string): readonly string[] =>
  spans(text).filter((span) => {
    const isFile = /^[\w./-]+\.(ts|tsx|mjs|py)$/.test(span) || /^[\w.-]+\/[\w./-]+\.(yaml|json)$/.test(span);
    const isFolder =
      /^[\w./-]+\/$/.test(span) && /^(packages|docs|e2e|bench|demo|scripts|faults|testing|examples)\//.test(span);
    return (isFile || isFolder) && !/^(\.|node_modules|dist)|[A-Z]{3}|(^|\/)my/.test(span) && !isThere(span);
  });

const scripts = JSON.parse(readFileSync(path.join(root, "package.json"), "utf8")).scripts as Record<string, string>;
const missingScripts = (text: string): readonly string[] =>
  [...text.matchAll(/npm run ([a-z][\w:-]*)/g)].map(([, name = ""]) => name).filter((name) => !(name in scripts));

/** Lines of a text's code that call `quill`, without what comes after a pipe or a comment. */
const calls = (text: string): readonly string[] =>
  [
    ...spans(text),
    ...[...text.matchAll(/```[a-z]*\n([\s\S]*?)```/g)].flatMap(([, block = ""]) =>
      block.replaceAll("\\\n", " ").split("\n"),
    ),
  ]
    .map((line) => /(?:^|npx |\$ )(?:quill|loyal-quill) ([a-z][^|#>;&]*)/.exec(line)?.[1]?.trim() ?? "")
    .filter((call) => call !== "");

/** What of a call is no command or no option of it. */
function wrongIn(call: string): readonly string[] {
  const words = call.split(/\s+/);
  let command: Command = commands();
  while (words[0] !== undefined) {
    const next = command.commands.find((each) => each.name() === words[0]);
    if (!next) break;
    command = next;
    words.shift();
  }
  if (command.name() === "quill") return [`${call}: no such command`];
  const known = ["--help", ...command.options.flatMap(({ long, short }) => [long, short])];
  const isGroup = command.commands.length > 0 && words[0] !== undefined && /^[a-z]/.test(words[0]);
  return [
    ...(isGroup ? [`${call}: ${command.name()} has no command ${words[0]}`] : []),
    ...words
      .map((word) => word.split("=")[0] ?? "")
      .filter((word) => /^--[a-z]/.test(word) && !known.includes(word))
      .map((option) => `${call}: no option ${option}`),
  ];
}

const missingLinks = ({ name, text }: (typeof texts)[number]): readonly string[] =>
  [...text.matchAll(/\]\((?!https?:|#|mailto:|\/)([^)\s#]+)(?:#[^)]*)?\)/g)]
    .map(([, to = ""]) => to)
    .filter((to) => {
      const isPacked = /^packages\/\w+\/README\.md$/.test(name) && to.startsWith("docs/");
      return !existsSync(path.join(root, isPacked ? "" : path.dirname(name), to));
    });

describe("what the documents name is there", () => {
  test.each(texts.map((each) => [each.name, each] as const))("%s: files that it links to", (_name, each) => {
    expect(missingLinks(each)).toEqual([]);
  });

  test.each(current.map(({ name, text }) => [name, text]))(
    "%s: files, folders, scripts, commands and options",
    (_name, text) => {
      expect([...missingPaths(text), ...missingScripts(text), ...calls(text).flatMap(wrongIn)]).toEqual([]);
    },
  );

  test("and what is not is found", () => {
    expect(missingPaths("`packages/core/src/nothing.ts`, `docs/none/`, `steps/route.ts`")).toEqual([
      "packages/core/src/nothing.ts",
      "docs/none/",
    ]);
    expect(missingScripts("npm run nothing, npm run check")).toEqual(["nothing"]);
    expect(calls("`quill log veryfy --quick`\n```\nnpx quill serve --no-such 1 | cat\n```").flatMap(wrongIn)).toEqual([
      "log veryfy --quick: log has no command veryfy",
      "log veryfy --quick: no option --quick",
      "serve --no-such 1: no option --no-such",
    ]);
    expect(missingLinks({ name: "docs/a.md", text: "[a](nowhere.md) [b](log.md#seals)" })).toEqual(["nowhere.md"]);
  });
});
