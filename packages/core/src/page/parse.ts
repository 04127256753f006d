import * as v from "valibot";
import { type Document, isMap, isNode, isScalar, isSeq, LineCounter, type Node } from "yaml";
import { byPlace, capped, type Finding, mostFindings, type Remark } from "../findings/finding.js";
import type { Path } from "../findings/path-in-file.js";
import { contentOfDocument } from "./content.js";
import { mostOfPageFile, pageFileTooLong } from "./page-file-limit.js";
import { type PageFile, pageSchema } from "./schema.js";
import { remarksOn } from "./schema-issues.js";
import { contentByParts } from "./text-parts.js";
import { placeName } from "./wrong-value.js";
import { mistakesIn, readYaml } from "./yaml.js";

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
      const pair = node.items.find((each) => isScalar(each.key) && String(each.key.value) === String(part));
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

/** What nothing can store or show: a NUL (PostgreSQL documentation, 8.3), or half of a surrogate pair, which is no UTF-8 (RFC 3629, 3). */
const unstorable = /\0|\p{Surrogate}/u;

/** Where a text stands that can't be stored; null for none. */
function unstorableIn(content: unknown, path: Path = []): Path | null {
  if (typeof content === "string") return unstorable.test(content) ? path : null;
  if (typeof content !== "object" || content === null) return null;
  for (const [name, value] of Object.entries(content)) {
    const inside = [...path, Array.isArray(content) ? Number(name) : name];
    const found = unstorable.test(name) ? path : unstorableIn(value, inside);
    if (found) return found;
  }
  return null;
}

/** What is wrong with a content that is none of a page file, before its settings are looked at; null for nothing. */
function notOfPages(content: unknown, text: string): Pick<Remark, "code" | "message" | "path"> | null {
  if (typeof content !== "object" || content === null || Array.isArray(content))
    return {
      code: "wrong-value",
      message: "A page file is a mapping (name: value) that begins with format: loyal-quill/page@1.",
      path: [],
    };
  // Only what is escaped in the text comes to one.
  const path = text.includes("\\") ? unstorableIn(content) : null;
  return (
    path && {
      code: "wrong-value",
      message: `${placeName(path)} contains a NUL or half a character, which can be neither stored nor shown.`,
      path,
    }
  );
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
      const findings = mistakesIn(document, text).map(({ message, at }): Finding => {
        const { line, col } = lines.linePos(at);
        return { severity: "error", code: "not-yaml", message, line, column: col };
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
            message:
              "An alias (*name) has no anchor (&name) before it, or all aliases stand for more than a page file may hold.",
            path: [],
          }),
        ],
      };
  }
  const find: Finder = (...asked) => whole().find(...asked);
  const other = notOfPages(content, text);
  if (other) return { ok: false, findings: [find("error", other)] };
  const checked = v.safeParse(pageSchema(), content);
  if (!checked.success) {
    // What is said of an issue looks for the nearest known name: not for all of twenty thousand.
    const { remarks, count } = remarksOn(pageSchema(), checked.issues, "a page file", mostFindings + 1);
    const findings = remarks.map((remark) => find("error", remark));
    return { ok: false, findings: capped(findings.sort(byPlace), count) };
  }
  return { ok: true, page: { file: checked.output, finding: find } };
}
