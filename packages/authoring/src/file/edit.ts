import type { Edit } from "@loyal-quill/core/findings/edit";
import type { Path } from "@loyal-quill/core/page/parse";
import { contentByParts, cut } from "@loyal-quill/core/page/text-parts";
import { readYaml } from "@loyal-quill/core/page/yaml";
import { type Document, isMap, isScalar, isSeq, type Node, type Pair, Scalar, type YAMLMap, type YAMLSeq } from "yaml";
import { sameElsewhere } from "./keep-the-rest.js";

/** Why a file can't be edited: where its YAML can't be read, or has not the shape that the edit needs. */
export class CanNotEdit extends Error {}

/** The order in which the parts of a page file stand (docs/page-file.md). */
const order = [
  "format",
  "title",
  "plural",
  "description",
  "path",
  "record",
  "language",
  "time-zone",
  "access",
  "list",
  "fields",
  "checks",
  "save",
  "answer",
];

const written = { lineWidth: 0, flowCollectionPadding: true, indentSeq: true } as const;

/** Maps of a page file that are written in one line. */
const inOneLine: ReadonlySet<string> = new Set(["record", "list", "answer", "save"]);

/** The name of a field's entry: `- code`, or `- name: { … }`. */
function fieldName(item: unknown): string | undefined {
  if (isScalar(item)) return typeof item.value === "string" ? item.value : undefined;
  const key = isMap(item) ? item.items[0]?.key : undefined;
  return isScalar(key) ? String(key.value) : undefined;
}

class Editor {
  private readonly root: YAMLMap;

  constructor(private readonly document: Document) {
    if (document.errors.length > 0 || !isMap(document.contents))
      throw new CanNotEdit("The file's YAML has an error. Put it right in the text first.");
    this.root = document.contents as YAMLMap;
  }

  apply(edit: Edit): void {
    if (edit.do === "set") this.set(edit.path, edit.value);
    else if (edit.do === "add-fields") {
      const names = edit.names.filter((name) => !this.fields().items.some((item) => fieldName(item) === name));
      this.insert(
        names.map((name) => new Scalar(name)),
        edit.before,
      );
    } else {
      const fields = this.fields();
      const named = fields.items.filter((item) => edit.names.includes(fieldName(item) ?? ""));
      fields.items = fields.items.filter((item) => !named.includes(item));
      if (edit.do === "move-fields") this.insert(named, edit.before);
    }
  }

  private fields(): YAMLSeq {
    const fields = this.root.get("fields", true);
    if (!isSeq(fields)) throw new CanNotEdit("The file has no list of fields.");
    return fields as YAMLSeq;
  }

  private insert(nodes: readonly unknown[], before: string | null): void {
    const fields = this.fields();
    const at = before === null ? -1 : fields.items.findIndex((item) => fieldName(item) === before);
    fields.items.splice(at < 0 ? fields.items.length : at, 0, ...nodes);
  }

  private set(path: Path, value: unknown): void {
    const [part, name, ...rest] = path;
    if (part === "fields" && typeof name === "string") this.setOfField(name, rest, value);
    else this.setAt(path, value);
  }

  private setOfField(name: string, rest: Path, value: unknown): void {
    const fields = this.fields();
    const index = fields.items.findIndex((item) => fieldName(item) === name);
    if (index < 0) throw new CanNotEdit(`The page has no field "${name}".`);
    const item = fields.items[index];
    if (isScalar(item)) {
      if (value === undefined) return;
      fields.items[index] = this.entry(name, item);
    }
    const entry = fields.items[index] as YAMLMap;
    const pair = entry.items[0] as Pair;
    if (!isMap(pair.value)) pair.value = this.flow({});
    const settings = pair.value as YAMLMap;
    this.setIn(settings, rest, value);
    if (settings.items.length === 0 && !settings.comment) fields.items[index] = this.plain(name, entry);
  }

  /** A field's entry that can have settings, with the comments of the plain one. */
  private entry(name: string, plain: Scalar): YAMLMap {
    const entry = this.document.createNode({ [name]: {} }) as YAMLMap;
    (entry.items[0] as Pair).value = this.flow({});
    if (plain.commentBefore) entry.commentBefore = plain.commentBefore;
    if (plain.comment) entry.comment = plain.comment;
    return entry;
  }

  private plain(name: string, entry: YAMLMap): Scalar {
    const plain = new Scalar(name);
    if (entry.commentBefore) plain.commentBefore = entry.commentBefore;
    if (entry.comment) plain.comment = entry.comment;
    return plain;
  }

  private flow(value: unknown): Node {
    return this.document.createNode(value, { flow: true });
  }

  /** Sets below a collection, making what is missing; what is empty afterwards goes. */
  private setIn(collection: Node, path: Path, value: unknown): void {
    const [part, ...rest] = path;
    if (part === undefined || !(isMap(collection) || isSeq(collection)))
      throw new CanNotEdit("The file has something else at this place.");
    if (rest.length === 0) {
      if (value === undefined) collection.delete(part);
      else this.put(collection, part, this.flow(value));
      return;
    }
    const inner = collection.get(part, true) as Node | undefined;
    if (isMap(inner) || isSeq(inner)) {
      this.setIn(inner, rest, value);
      if (inner.items.length === 0) collection.delete(part);
    } else if (value !== undefined) {
      const made = this.flow(typeof rest[0] === "number" ? [] : {});
      this.setIn(made, rest, value);
      this.put(collection, part, made);
    }
  }

  /** Puts a value in the place of another, keeping the way a text was quoted and the comment beside it. */
  private put(collection: YAMLMap | YAMLSeq, part: string | number, value: Node): void {
    const old = collection.get(part, true);
    if (isScalar(old) && isScalar(value)) {
      const quoted = old.type === "QUOTE_DOUBLE" || old.type === "QUOTE_SINGLE";
      if (quoted && typeof value.value === "string") value.type = old.type as Scalar.Type;
      if (old.comment) value.comment = old.comment;
    }
    collection.set(part, value);
  }

  private setAt(path: Path, value: unknown): void {
    const [part] = path;
    const there = this.root.has(part);
    if (value === undefined && !there) return;
    if (!there && path.length > 1) this.add(String(part), typeof path[1] === "number" ? [] : {});
    if (!there && path.length === 1) this.add(String(part), value);
    else this.setIn(this.root, path, value);
    if (part === "checks" && path.length > 1) this.unflow();
  }

  /** A new part of the file, at its place in the order. */
  private add(name: string, value: unknown): void {
    const node = inOneLine.has(name) ? this.flow(value) : this.document.createNode(value);
    const pair = this.document.createPair(name, node);
    const place = order.indexOf(name);
    const at = this.root.items.findIndex((each) => order.indexOf(String((each.key as Scalar).value)) > place);
    this.root.items.splice(at < 0 ? this.root.items.length : at, 0, pair);
  }

  /** The list of checks has a line for each. */
  private unflow(): void {
    const checks = this.root.get("checks", true);
    if (isSeq(checks)) checks.flow = false;
  }

  toString(): string {
    return this.document.toString(written);
  }
}

/** The same for a text that is read as a whole. */
export function editWhole(text: string, edits: readonly Edit[]): string {
  const editor = new Editor(readYaml(text));
  for (const edit of edits) editor.apply(edit);
  const untouched = readYaml(text).toString(written);
  return sameElsewhere(text, untouched, editor.toString());
}

/** Edits of the settings of one field, on the lines of its entry alone; undefined where that can't be. */
function editEntry(text: string, edits: readonly Edit[]): string | undefined {
  const [first] = edits;
  if (first?.do !== "set" || first.path[0] !== "fields" || first.path.length < 3) return undefined;
  const [, name] = first.path;
  if (!edits.every((edit) => edit.do === "set" && edit.path[0] === "fields" && edit.path[1] === name)) return undefined;
  const parts = cut(text);
  const fields = parts && contentByParts(text)?.fields;
  if (!parts || !Array.isArray(fields)) return undefined;
  const place = fields.findIndex((field) => (typeof field === "string" ? field : Object.keys(field ?? {})[0]) === name);
  const entry = parts.entries[place];
  if (entry === undefined) return undefined;
  // With something behind it, as in the file: blank lines and comments lie between the two.
  const isLast = place === parts.entries.length - 1;
  const behind = isLast ? parts.after : `${/^ */.exec(entry)?.[0]}- behind\n`;
  const edited = editWhole(`fields:\n${entry}${behind}`, edits).slice("fields:\n".length);
  if (!isLast && !edited.endsWith(behind)) return undefined;
  const others = parts.entries.slice(0, place).join("");
  if (isLast) return parts.before + others + edited;
  const rest = parts.entries.slice(place + 1).join("");
  return parts.before + others + edited.slice(0, -behind.length) + rest + parts.after;
}

/**
 * Changes a page file's text, leaving comments, order and every line that the edits do not speak of as they are.
 *
 * @throws CanNotEdit when the YAML can't be read or the place is not there; the text stays what it was
 */
export const editPageFile = (text: string, edits: readonly Edit[]): string =>
  editEntry(text, edits) ?? editWhole(text, edits);
