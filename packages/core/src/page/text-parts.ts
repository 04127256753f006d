import { readYaml } from "./yaml.js";

/**
 * A page file's text, cut where its list of fields is: what stands before, each entry of the list with its lines, what stands
 * after. Put together again they are the text.
 */
interface TextParts {
  readonly before: string;
  readonly entries: readonly string[];
  readonly after: string;
}

/**
 * What makes the meaning of a part depend on another one, or its lines hard to tell apart: tabs, anchors and aliases, several
 * documents, directives.
 */
const entangled = /\t|\r|(^|[\s[{,:])[&*][\w-]|^(---|\.\.\.|%)/m;

/**
 * Cuts a page file's text into parts that can be read one by one. A file of several hundred fields is then changed and read again
 * at the cost of the field that changed.
 *
 * An entry of a block sequence goes on for as long as its lines are indented deeper than its hyphen (YAML 1.2.2, 8.2.1); blank
 * lines and comments go with what they follow.
 *
 * @returns undefined where it can't be cut: then it has to be read as a whole
 */
export function cut(text: string): TextParts | undefined {
  if (entangled.test(text)) return undefined;
  const lines = text.split(/(?<=\n)/);
  const heads = lines.flatMap((line, index) => (/^fields:/.test(line) ? [index] : []));
  const [head] = heads;
  if (head === undefined || heads.length > 1 || !/^fields:[ ]*(#.*)?\n/.test(lines[head] ?? "")) return undefined;
  const isEmpty = (line: string | undefined): boolean => /^ *(#.*)?\n?$/.test(line ?? "");
  let at = head + 1;
  while (at < lines.length && isEmpty(lines[at])) at += 1;
  const first = at;
  const indent = /^( *)- /.exec(lines[first] ?? "")?.[1]?.length;
  if (indent === undefined) return undefined;
  const entries: string[] = [];
  for (; at < lines.length; at++) {
    const line = lines[at] ?? "";
    const lead = /^ */.exec(line)?.[0].length ?? 0;
    const isBlank = isEmpty(line);
    if (!isBlank && lead === indent && line.startsWith("- ", lead)) entries.push(line);
    else if (isBlank || lead > indent) entries.push(`${entries.pop() ?? ""}${line}`);
    // What belongs to neither an entry nor the file itself is a mistake, which the rest alone would not show.
    else if (lead > 0) return undefined;
    else break;
  }
  return {
    before: lines.slice(0, first).join(""),
    entries,
    after: lines.slice(at).join(""),
  };
}

function frozen<Value>(value: Value): Value {
  if (typeof value === "object" && value !== null && !Object.isFrozen(value)) {
    Object.freeze(value);
    for (const inner of Object.values(value)) frozen(inner);
  }
  return value;
}

const unreadable = Symbol("unreadable");

function readPart(text: string): unknown {
  const document = readYaml(text);
  if (document.errors.length > 0) return unreadable;
  try {
    return frozen(document.toJS({ maxAliasCount: 0 }) as unknown);
  } catch {
    return unreadable;
  }
}

/** What was read, by its text. When it grows too large it is begun anew. */
const known = new Map<string, unknown>();
const mostKnown = 4000;

function partOf(text: string): unknown {
  const found = known.get(text);
  if (found !== undefined) return found;
  const read = readPart(text);
  if (known.size >= mostKnown) known.clear();
  known.set(text, read);
  return read;
}

/**
 * The content of a page file's text, read part by part.
 *
 * @returns undefined where it has to be read as a whole, as a text with an error has: only then it is known where it lies
 */
export function contentByParts(text: string): Readonly<Record<string, unknown>> | undefined {
  const parts = cut(text);
  if (!parts) return undefined;
  const rest = partOf(`${parts.before.replace(/\n$/, "")}\n${parts.after}`);
  if (rest === unreadable || typeof rest !== "object" || rest === null || Array.isArray(rest)) return undefined;
  const fields: unknown[] = [];
  for (const entry of parts.entries) {
    const read = partOf(entry);
    if (!Array.isArray(read) || read.length !== 1) return undefined;
    fields.push(read[0]);
  }
  return { ...rest, fields };
}
