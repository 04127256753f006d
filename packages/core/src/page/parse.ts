import * as v from "valibot";
import { type Document, isMap, isNode, isScalar, isSeq, LineCounter, type Node } from "yaml";
import { byPlace, capped, type Finding, mostFindings, type Remark, type Repair } from "../findings/finding.js";
import type { Path } from "../findings/path-in-file.js";
import { misspelt, suggestion } from "../values/nearest.js";
import { contentOfDocument } from "./content.js";
import { mostOfPageFile, pageFileTooLong } from "./page-file-limit.js";
import { type PageFile, pageSchema } from "./schema.js";
import { contentByParts } from "./text-parts.js";
import { readYaml } from "./yaml.js";

export type { Path };

/** A page file that was read: its content, and the place of every part. */
export interface ParsedPage {
  readonly file: PageFile;
  /** A remark with its line and column. */
  finding(severity: Finding["severity"], remark: Remark): Finding;
}

export type ParseResult =
  | { readonly ok: true; readonly page: ParsedPage }
  | { readonly ok: false; readonly findings: readonly Finding[] };

/** The node at a path, or the last one on the way that exists. `key` asks for the name instead of its value. */
function nodeAt(document: Document, path: Path, key = false): Node | null {
  let node: Node | null = document.contents;
  for (const [index, part] of path.entries()) {
    let next: unknown;
    if (isMap(node)) {
      const pair = node.items.find((each) => isScalar(each.key) && each.key.value === part);
      next = key && index === path.length - 1 ? pair?.key : (pair?.value ?? pair?.key);
    } else if (isSeq(node)) next = node.items[Number(part)];
    if (!isNode(next)) break;
    node = next;
  }
  return node;
}

function finder(document: Document, lines: LineCounter) {
  return (
    severity: Finding["severity"],
    { path, offset = 0, key = false, code, message, repair, stops, change }: Remark,
  ): Finding => {
    const node = nodeAt(document, path, key);
    const quote = isScalar(node) && (node.type === "QUOTE_DOUBLE" || node.type === "QUOTE_SINGLE") ? 1 : 0;
    const position = lines.linePos((node?.range?.[0] ?? 0) + (offset > 0 || quote ? offset + quote : 0));
    return {
      severity,
      code,
      message,
      line: Math.max(1, position.line),
      column: Math.max(1, position.col),
      ...(repair ? { repair } : {}),
      ...(stops ? { stops } : {}),
      ...(change ? { change } : {}),
    };
  };
}

const knownNames = (issue: v.BaseIssue<unknown>): readonly string[] => {
  const expected = issue.expected ?? "";
  return [...expected.matchAll(/"([^"]+)"/g)].map((match) => match[1] ?? "");
};

/** A Valibot schema as far as it is looked into here. */
interface Looked {
  readonly type?: string;
  readonly entries?: Readonly<Record<string, unknown>>;
  readonly wrapped?: unknown;
  readonly item?: unknown;
  readonly value?: unknown;
  readonly options?: readonly unknown[];
}

const unwrapped = (schema: unknown): Looked => {
  let current = schema as Looked;
  while (current?.wrapped) current = current.wrapped as Looked;
  return current;
};

/** The schemas that may stand at a place, found by walking along the path. */
function schemasAt(path: Path): readonly Looked[] {
  let current = unwrapped(pageSchema());
  for (const part of path) {
    const options = current.type === "union" ? (current.options as readonly unknown[]).map(unwrapped) : [current];
    const inside = options.find((option) => option.entries || option.item || option.type === "record") ?? current;
    const next = inside.entries?.[String(part)] ?? inside.item ?? inside.value;
    if (!next) return [];
    current = unwrapped(next);
  }
  return current.type === "union" ? (current.options as readonly unknown[]).map(unwrapped) : [current];
}

/** The names that a strict object knows at a place of a page file. */
const namesAt = (path: Path): string[] => schemasAt(path).flatMap((schema) => Object.keys(schema.entries ?? {}));

/**
 * Of a union's issue, those of the option that came furthest: the ones whose complaint is worth reading. Their paths are
 * counted from the union, so its own is put before them.
 */
function deepest(issue: v.BaseIssue<unknown>): readonly v.BaseIssue<unknown>[] {
  const inner = issue.type === "union" ? (issue.issues ?? []).flatMap(deepest) : [];
  const depth = (each: v.BaseIssue<unknown>): number => each.path?.length ?? 0;
  const most = Math.max(0, ...inner.map(depth));
  if (most === 0) return [issue];
  const furthest = inner.filter((each) => depth(each) === most);
  const unknown = furthest.filter((each) => each.expected === "never");
  const told = unknown.length > 0 ? unknown.slice(0, 1) : furthest;
  return told.map((each) => ({
    ...each,
    path: [...(issue.path ?? []), ...(each.path ?? [])] as unknown as NonNullable<typeof issue.path>,
  }));
}

/** The repair of a misspelt name. */
export function spelling(name: string, known: Iterable<string>): Repair | undefined {
  const found = misspelt(name, known);
  return found && { what: `write ${found.right}`, ...found };
}

function toFinding(issue: v.BaseIssue<unknown>, find: Finder): Finding {
  const path = (issue.path ?? []).map((part) => part.key as string | number);
  const name = String(path.at(-1) ?? "");
  if (issue.type === "strict_object" && issue.expected === "never") {
    const known = namesAt(path.slice(0, -1));
    return find("error", {
      code: "unknown-name",
      message: `"${name}" is not a name that a page file knows here.${suggestion(name, known)}`,
      path,
      key: true,
      repair: spelling(name, known),
    });
  }
  if (issue.received === "undefined") return find("error", { code: "missing", message: `"${name}" is missing.`, path });
  if (issue.type === "picklist" || issue.type === "literal" || issue.type === "union") {
    const given = typeof issue.input === "string" ? issue.input : JSON.stringify(issue.input);
    const names = [...knownNames(issue), ...namesAt(path)];
    return find("error", {
      code: "unknown-value",
      message: `${given} is not possible here.${suggestion(given, names)}${names.length ? ` Possible: ${names.join(", ")}.` : ""}`,
      path,
      repair: spelling(given, names),
    });
  }
  const said = issue.message.startsWith("must") ? issue.message : `must be ${issue.expected ?? "different"}`;
  return find("error", { code: "wrong-value", message: `"${name}" ${said}.`, path });
}

/** The text as a document of which every place is known: needed where something is to be said of it. */
function readWhole(text: string) {
  const lines = new LineCounter();
  const document = readYaml(text, { lineCounter: lines });
  return { document, lines, find: finder(document, lines) };
}

type Finder = ReturnType<typeof finder>;

/** Made when it is first asked for. */
function once<Made>(make: () => Made): () => Made {
  let made: { readonly value: Made } | undefined;
  return () => {
    made ??= { value: make() };
    return made.value;
  };
}

/**
 * Reads a page file's text.
 *
 * @param text YAML 1.2, at most 256 KiB
 * @returns the page file with the places of its parts, or all that is wrong with it, by place
 */
export function parsePage(text: string): ParseResult {
  if (text.length > mostOfPageFile) {
    return {
      ok: false,
      findings: [{ severity: "error", code: "too-long", message: pageFileTooLong, line: 1, column: 1 }],
    };
  }
  const whole = once(() => readWhole(text));
  let content: unknown = contentByParts(text);
  if (content === undefined) {
    const { document, lines, find } = whole();
    if (document.errors.length > 0) {
      const findings = document.errors.map((error): Finding => {
        const position = lines.linePos(error.pos[0]);
        return {
          severity: "error",
          code: "not-yaml",
          message: /call stack/.test(error.message) ? "This is nested too deep to be read." : error.message,
          line: position.line,
          column: position.col,
        };
      });
      return { ok: false, findings: capped(findings) };
    }
    content = contentOfDocument(document);
    if (content === undefined)
      return {
        ok: false,
        findings: [
          find("error", {
            code: "not-yaml",
            message: "Its aliases (*name) stand for more than a page file may hold.",
            path: [],
          }),
        ],
      };
  }
  const find: Finder = (...asked) => whole().find(...asked);
  const checked = v.safeParse(pageSchema(), content);
  if (!checked.success) {
    const issues = checked.issues.flatMap(deepest);
    // What is said of an issue looks for the nearest known name: not for all of twenty thousand.
    const findings = issues.slice(0, mostFindings + 1).map((issue) => toFinding(issue, find));
    return { ok: false, findings: capped(findings.sort(byPlace), issues.length) };
  }
  return { ok: true, page: { file: checked.output, finding: find } };
}
