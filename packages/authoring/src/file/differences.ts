import type { Edit } from "@loyal-quill/core/findings/edit";
import { contentOf } from "@loyal-quill/core/page/content";
import type { Path } from "@loyal-quill/core/page/parse";
import { diffComm } from "node-diff3";

/** One thing that differs between two page files. Undefined is: not there. */
export interface Difference {
  /** As in an `Edit`; a check goes by its condition: `["checks", "form.a > form.b"]`; the order of fields is `["fields"]`. */
  readonly path: Path;
  readonly before: unknown;
  readonly after: unknown;
}

type Plain = Readonly<Record<string, unknown>>;

const isPlain = (value: unknown): value is Plain =>
  typeof value === "object" && value !== null && !Array.isArray(value);

const same = (a: unknown, b: unknown): boolean => JSON.stringify(a) === JSON.stringify(b);

/** The fields of a page file's content by name, in their order. */
function fieldsOf(content: Plain): Map<string, Plain> {
  const entries = Array.isArray(content.fields) ? content.fields : [];
  return new Map(
    entries.flatMap((entry: unknown): [string, Plain][] => {
      if (typeof entry === "string") return [[entry, {}]];
      if (!isPlain(entry)) return [];
      return Object.entries(entry).map(([name, settings]) => [name, isPlain(settings) ? settings : {}]);
    }),
  );
}

function checksOf(content: Plain): Map<string, Plain> {
  const checks = Array.isArray(content.checks) ? content.checks.filter(isPlain) : [];
  return new Map(checks.map((check) => [String(check.expect), check]));
}

function differingIn(path: Path, before: Plain, after: Plain): Difference[] {
  const names = [...new Set([...Object.keys(before), ...Object.keys(after)])];
  return names.flatMap((name) =>
    same(before[name], after[name]) ? [] : [{ path: [...path, name], before: before[name], after: after[name] }],
  );
}

function differingFields(before: Plain, after: Plain): Difference[] {
  const [old, now] = [fieldsOf(before), fieldsOf(after)];
  const names = [...new Set([...old.keys(), ...now.keys()])];
  const each = names.flatMap((name): Difference[] => {
    const [was, is] = [old.get(name), now.get(name)];
    if (!was || !is) return [{ path: ["fields", name], before: was, after: is }];
    return differingIn(["fields", name], was, is);
  });
  const kept = (of: Map<string, Plain>, other: Map<string, Plain>) => [...of.keys()].filter((name) => other.has(name));
  const [orderBefore, orderAfter] = [kept(old, now), kept(now, old)];
  return same(orderBefore, orderAfter) ? each : [...each, { path: ["fields"], before: orderBefore, after: orderAfter }];
}

function differingChecks(before: Plain, after: Plain): Difference[] {
  const [old, now] = [checksOf(before), checksOf(after)];
  return [...new Set([...old.keys(), ...now.keys()])].flatMap((source) =>
    same(old.get(source), now.get(source))
      ? []
      : [{ path: ["checks", source], before: old.get(source), after: now.get(source) }],
  );
}

/**
 * What differs between two page files, setting by setting: comments and layout don't count.
 *
 * @returns undefined where one of them is no readable YAML
 */
export function differences(before: string, after: string): readonly Difference[] | undefined {
  const [old, now] = [contentOf(before), contentOf(after)];
  if (!old || !now) return undefined;
  const names = [...new Set([...Object.keys(old), ...Object.keys(now)])];
  return names.flatMap((name): Difference[] => {
    const [was, is] = [old[name], now[name]];
    if (name === "fields") return differingFields(old, now);
    if (name === "checks") return differingChecks(old, now);
    if (isPlain(was) || isPlain(is)) return differingIn([name], isPlain(was) ? was : {}, isPlain(is) ? is : {});
    return same(was, is) ? [] : [{ path: [name], before: was, after: is }];
  });
}

/** The edits of `text` that bring a difference about. A check that is gone already needs none. */
export function editsFor({ path, before, after }: Difference, text: string): readonly Edit[] {
  const [part, name] = path;
  const content = contentOf(text) ?? {};
  if (part === "checks") {
    const sources = [...checksOf(content).keys()];
    const at = sources.indexOf(String(name));
    return at < 0 && after === undefined
      ? []
      : [{ do: "set", path: ["checks", at < 0 ? sources.length : at], value: after }];
  }
  if (part !== "fields") return [{ do: "set", path, value: after }];
  if (path.length === 1) return reordering([...fieldsOf(content).keys()], after as readonly string[]);
  if (path.length > 2) return [{ do: "set", path, value: after }];
  if (after === undefined) return [{ do: "remove-fields", names: [String(name)] }];
  const settings = Object.entries(after as Plain).map(
    ([setting, value]): Edit => ({ do: "set", path: [...path, setting], value }),
  );
  return before === undefined ? [{ do: "add-fields", names: [String(name)], before: null }, ...settings] : settings;
}

/** Brings the fields that are named into the order wanted; others stay behind the one that they follow. */
function reordering(there: readonly string[], wanted: readonly string[]): Edit[] {
  const known = wanted.filter((name) => there.includes(name));
  return known
    .map((name, index): Edit => ({ do: "move-fields", names: [name], before: known[index + 1] ?? null }))
    .reverse();
}

/** One line of a comparison of two texts. */
export interface ComparedLine {
  readonly kind: "same" | "gone" | "new";
  readonly text: string;
}

/** Two texts line by line; of what is the same only the lines next to a change. */
export function comparedLines(before: string, after: string, around = 2): readonly ComparedLine[] {
  const lines = diffComm(before.split("\n"), after.split("\n")).flatMap((part): ComparedLine[] =>
    "common" in part && part.common
      ? part.common.map((text) => ({ kind: "same", text }))
      : [
          ...(part.buffer1 ?? []).map((text): ComparedLine => ({ kind: "gone", text })),
          ...(part.buffer2 ?? []).map((text): ComparedLine => ({ kind: "new", text })),
        ],
  );
  const isNear = (index: number): boolean =>
    lines.slice(Math.max(0, index - around), index + around + 1).some(({ kind }) => kind !== "same");
  return lines.filter((_, index) => isNear(index));
}
