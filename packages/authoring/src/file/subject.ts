import type { DescribedSetting, Finding, StepName } from "@loyal-quill/core";
import type { Path } from "@loyal-quill/core/page/parse";
import { readYaml } from "@loyal-quill/core/page/yaml";
import { isMap, isNode, isScalar, isSeq, LineCounter, type Node } from "yaml";

/** What a place of a page file is about: a field, by its column, or the page as a whole, by the step at which it is set. */
export type Subject = { readonly field: string } | { readonly step: StepName };

const startOf = (node: unknown): number => (isNode(node) ? (node.range?.[0] ?? 0) : 0);

/** The last of some nodes that begins at an offset or before it: what an offset lies in, since the nodes follow one another. */
const lastBefore = <T>(nodes: readonly T[], offset: number, start: (node: T) => number): T | undefined =>
  nodes.findLast((node) => start(node) <= offset);

/** The names and positions that lead to an offset of a text, and the last of them that are a name. */
function pathTo(node: Node | null, offset: number): Path {
  if (isMap(node)) {
    const pair = lastBefore(node.items, offset, ({ key }) => startOf(key));
    if (!pair || !isScalar(pair.key)) return [];
    const isInValue = isNode(pair.value) && startOf(pair.value) <= offset;
    return [String(pair.key.value), ...(isInValue ? pathTo(pair.value as Node, offset) : [])];
  }
  if (isSeq(node)) {
    const item = lastBefore(node.items, offset, startOf);
    return item === undefined ? [] : [node.items.indexOf(item), ...pathTo(item as Node, offset)];
  }
  // The entry of a field without settings is its name alone.
  return isScalar(node) && typeof node.value === "string" ? [node.value] : [];
}

function subjectAt(path: Path, settings: readonly DescribedSetting[]): Subject | null {
  const [part, index, name] = path;
  if (part === "fields") return typeof name === "string" ? { field: name } : { step: "read" };
  if (part === "names" && typeof index === "string") return { field: index };
  const setting = settings.find((each) => each.path.every((each, at) => each === path[at]));
  // A misspelt setting of a group is at the place of the group's others.
  const step = (setting ?? settings.find((each) => each.path[0] === part))?.step;
  return step ? { step } : null;
}

/**
 * What each finding is about.
 *
 * @param text the page file that was reviewed
 * @param settings the settings of a page, as the core describes them
 * @returns as many as there are findings; null for one of the file's text itself
 */
export function subjectsOf(
  text: string,
  findings: readonly Pick<Finding, "line" | "column">[],
  settings: readonly DescribedSetting[],
): readonly (Subject | null)[] {
  if (findings.length === 0) return [];
  const lines = new LineCounter();
  const { contents } = readYaml(text, { lineCounter: lines });
  return findings.map(({ line, column }) =>
    subjectAt(pathTo(contents, (lines.lineStarts[line - 1] ?? 0) + column - 1), settings),
  );
}
