import type * as v from "valibot";
import type { Remark } from "../findings/finding.js";
import type { Path } from "../findings/path-in-file.js";
import { spelling } from "../findings/spelling.js";
import { suggestion } from "../values/nearest.js";
import { kindOfValue, placeName, wrongValue } from "./wrong-value.js";

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
function schemasAt(schema: unknown, path: Path): readonly Looked[] {
  let current = unwrapped(schema);
  for (const part of path) {
    const options = current.type === "union" ? (current.options as readonly unknown[]).map(unwrapped) : [current];
    const inside = options.find((option) => option.entries || option.item || option.type === "record") ?? current;
    const next = inside.entries?.[String(part)] ?? inside.item ?? inside.value;
    if (!next) return [];
    current = unwrapped(next);
  }
  return current.type === "union" ? (current.options as readonly unknown[]).map(unwrapped) : [current];
}

/** The names that a strict object knows at a place. */
const namesAt = (schema: unknown, path: Path): string[] =>
  schemasAt(schema, path).flatMap(({ entries }) => Object.keys(entries ?? {}));

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

const anyOf = new Intl.ListFormat("en", { type: "disjunction" });

/** What is to be said of one issue. */
function remarkOf(schema: unknown, issue: v.BaseIssue<unknown>, what: string): Remark {
  const path = (issue.path ?? []).map((part) => part.key as string | number);
  const name = String(path.at(-1) ?? "");
  // A list has members, too: numbers, and what every list inherits.
  const listAt = issue.path?.findIndex((part) => part.type === "object" && Array.isArray(part.input)) ?? -1;
  if (listAt >= 0) {
    const [place, input] = [path.slice(0, listAt), issue.path?.[listAt]?.input];
    const asList = { ...issue, type: "strict_object", kind: "schema", message: "", input } as const;
    return { code: "wrong-value", path: place, ...wrongValue(asList, place, namesAt(schema, place)) };
  }
  if (issue.type === "strict_object" && issue.expected === "never") {
    const around = path.slice(0, -1);
    const known = namesAt(schema, around);
    return {
      code: "unknown-name",
      message: `"${name}" is not a name that ${what} knows here.${suggestion(name, known)}`,
      path,
      key: true,
      repair: spelling(name, known),
    };
  }
  if (issue.received === "undefined") return { code: "missing", message: `"${name}" is missing.`, path };
  if (issue.type === "picklist" || issue.type === "literal" || issue.type === "union") {
    const given = typeof issue.input === "string" ? issue.input : JSON.stringify(issue.input);
    const names = [...new Set([...knownNames(issue), ...namesAt(schema, path)])];
    const kinds = names.length > 0 ? [] : schemasAt(schema, path).flatMap(({ type }) => kindOfValue(type) ?? []);
    const possible = names.length > 0 ? names.join(", ") : anyOf.format(new Set(kinds));
    return {
      code: "unknown-value",
      message: `${placeName(path)} can't be ${JSON.stringify(issue.input)}.${suggestion(given, names)}${possible && ` Possible: ${possible}.`}`,
      path,
      repair: spelling(given, names),
    };
  }
  return { code: "wrong-value", path, ...wrongValue(issue, path, namesAt(schema, path)) };
}

/**
 * What is to be said of a file's content that its schema refuses.
 *
 * @param schema of strict objects, lists and unions
 * @param what the file is called, with its article
 * @param most no more of them are said
 * @returns the remarks, and of how many issues
 */
export function remarksOn(
  schema: v.GenericSchema,
  issues: readonly v.BaseIssue<unknown>[],
  what: string,
  most: number,
): { readonly remarks: readonly Remark[]; readonly count: number } {
  const deep = issues.flatMap(deepest);
  const remarks = deep.slice(0, most).map((issue) => remarkOf(schema, issue, what));
  const told = new Map(remarks.map((remark) => [JSON.stringify([remark.path, remark.message]), remark] as const));
  return { remarks: [...told.values()], count: deep.length - (remarks.length - told.size) };
}
