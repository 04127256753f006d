import { readYaml } from "@loyal-quill/core/page/yaml";
import { isMap, isScalar, isSeq, type Node, type Pair, type Scalar } from "yaml";

/** The scalars that name a column by standing at their place in a page file. */
function namesIn(root: unknown): Scalar[] {
  if (!isMap(root)) return [];
  const at = (node: unknown, ...path: string[]): Node | undefined =>
    path.reduce<unknown>((inner, part) => (isMap(inner) ? inner.get(part, true) : undefined), node) as Node | undefined;
  const scalars = (node: unknown): Scalar[] =>
    isScalar(node) ? [node] : isSeq(node) ? node.items.filter((item) => isScalar(item)) : [];
  const keysOf = (node: unknown): Scalar[] =>
    isMap(node) ? node.items.flatMap((pair: Pair) => (isScalar(pair.key) ? [pair.key] : [])) : [];
  const valuesOf = (node: unknown): unknown[] => (isMap(node) ? node.items.map(({ value }: Pair) => value) : []);
  const items = (node: unknown): unknown[] => (isSeq(node) ? node.items : []);
  const fields = items(root.get("fields", true)).flatMap((item) => {
    if (isScalar(item)) return [item];
    if (!isMap(item)) return [];
    return item.items.flatMap((pair: Pair) => [
      ...(isScalar(pair.key) ? [pair.key] : []),
      ...items(at(pair.value, "tidy")).flatMap((tidying) => scalars(at(tidying, "slug"))),
    ]);
  });
  return [
    ...fields,
    ...scalars(at(root, "record", "key")),
    ...scalars(at(root, "list", "columns")),
    ...scalars(at(root, "list", "search")),
    ...scalars(at(root, "list", "filter")),
    ...scalars(at(root, "list", "edit")),
    ...keysOf(root.get("set", true)),
    ...keysOf(root.get("names", true)),
    ...scalars(at(root, "list", "sort")),
    ...items(root.get("checks", true)).flatMap((check) => scalars(at(check, "at"))),
    ...valuesOf(root.get("constraints", true)).flatMap((words) => scalars(at(words, "at"))),
  ];
}

const literally = (name: string): string => name.replaceAll(/[^\w]/g, "\\$&");

/**
 * Writes a column's new name wherever a page file speaks of the column: fields, key, list, conditions, titles, the address.
 * Labels and messages are words for people and stay.
 */
export function renamedColumn(text: string, from: string, to: string): string {
  const places = namesIn(readYaml(text).contents)
    .filter(({ value }) => value === from || value === `-${from}`)
    .flatMap(({ range }) => (range ? [{ start: range[0], end: range[1] }] : []))
    .sort((a, b) => b.start - a.start);
  let after = text;
  for (const { start, end } of places)
    after = after.slice(0, start) + after.slice(start, end).replace(from, to) + after.slice(end);
  return after
    .replaceAll(new RegExp(`\\b(row|form)\\.${literally(from)}(?!\\w)`, "g"), `$1.${to}`)
    .replaceAll(`{${from}}`, `{${to}}`);
}
