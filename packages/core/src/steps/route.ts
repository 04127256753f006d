import { takesFiles } from "../page/files.js";
import type { Page } from "../page/page.js";
import {
  choicesSegment,
  csvSegment,
  fileSegment,
  neighbourSegments,
  normalSegment,
  spreadsheetSegment,
  uploadSegment,
} from "../settings/bound/path.js";
import type { Operation } from "../trip/round-trip.js";

/** Where an address leads: a page and an operation, or why nowhere. */
export type Route =
  | {
      readonly kind: "page";
      readonly page: Page;
      readonly operation: Operation;
      readonly keySegments: readonly string[];
    }
  | { readonly kind: "method-not-allowed"; readonly page: Page; readonly allow: string }
  /** What an address takes was asked for. */
  | { readonly kind: "options"; readonly page: Page; readonly allow: string }
  /** An address with a slash at its end that is nothing by itself: what stands before the slash is meant. */
  | { readonly kind: "moved"; readonly page: Page; readonly to: string }
  | { readonly kind: "unsound"; readonly name: string }
  /** An address below a page's that is none of its own: the host may have something there. */
  | { readonly kind: "strayed"; readonly page: Page }
  | { readonly kind: "nowhere" };

/** A route that leads to a page of ours, sound or not. */
export type MatchedRoute = Exclude<Route, { readonly kind: "nowhere" }>;

/** A route that is ours to answer. */
export type OwnRoute = Exclude<MatchedRoute, { readonly kind: "strayed" }>;

/** What is spoken at an address: pages and forms, or JSON. */
type Speaks = "html" | "json";

/** What is served: the sound pages, and the addresses of those whose files have errors. */
export interface Site {
  readonly pages: readonly Page[];
  readonly unsound: readonly { readonly name: string; readonly listSegments: readonly string[] }[];
}

interface Address {
  readonly operations: Partial<Record<string, Operation>>;
  /** The segments that are the key, or the column's name where choices are asked for. */
  readonly segments: readonly string[];
}

/** What a page answers at an address below its own: the operation by method. */
function addressOf(page: Page, rest: readonly string[], speaks: Speaks): Address | undefined {
  const parts = page.path.columns.length;
  const [first] = rest;
  if (rest.length === 1 && first === csvSegment) return { operations: { GET: "export" }, segments: [] };
  if (page.list.spreadsheet && rest.length === 1 && first === spreadsheetSegment)
    return { operations: { GET: "spreadsheet" }, segments: [] };
  if (page.list.spreadsheet && rest.length === 1 && first === uploadSegment)
    return { operations: { GET: "uploading", POST: "upload" }, segments: [] };
  if (rest.length === 0)
    return {
      operations:
        speaks === "json"
          ? { GET: "list", ...(page.access.new ? { POST: "create" as const } : {}) }
          : { GET: "list", ...(page.list.edit.length > 0 ? { POST: "rows" as const } : {}) },
      segments: [],
    };
  if (rest.length === 2 && first === choicesSegment) return { operations: { GET: "choices" }, segments: rest.slice(1) };
  if (rest.length === parts + 1 && first === fileSegment && takesFiles(page))
    return { operations: { GET: "file" }, segments: rest.slice(1) };
  if (rest.length === parts + 1 && (first === "~next" || first === "~previous"))
    return { operations: { GET: neighbourSegments[first] }, segments: rest.slice(1) };
  // A key "new" has a tilde before it in the address.
  if (rest.length === 1 && first === "new")
    return page.access.new ? { operations: { GET: "new", POST: "create" }, segments: [] } : undefined;
  if (rest.length === parts)
    return {
      operations:
        speaks === "json"
          ? { GET: "view", PATCH: "save", ...(page.access.delete ? { DELETE: "delete" as const } : {}) }
          : { GET: "view" },
      segments: rest,
    };
  if (rest.length !== parts + 1) return undefined;
  const segments = rest.slice(0, -1);
  if (rest.at(-1) === "edit") return { operations: { GET: "open", POST: "save" }, segments };
  if (rest.at(-1) === "history" && page.access.history) return { operations: { GET: "history" }, segments };
  if (rest.at(-1) === "delete" && page.access.delete)
    return { operations: { GET: "confirm", POST: "delete" }, segments };
  return undefined;
}

/** The methods that an address takes, by forms and as JSON (RFC 9110, 10.2.1). */
function allowedAt(page: Page, rest: readonly string[]): string {
  const taken = (["html", "json"] as const).flatMap((speaks) =>
    Object.keys(addressOf(page, rest, speaks)?.operations ?? {}),
  );
  const methods = taken.flatMap((each) => (each === "GET" ? ["GET", "HEAD"] : [each]));
  return [...new Set([...methods, "OPTIONS"])].join(", ");
}

const indexes = new WeakMap<readonly Page[], ReadonlyMap<string, readonly Page[]>>();

/** The pages by the first segment of their addresses, the longest address first: a nested one is nearer. */
function pagesBelow(pages: readonly Page[], segment: string): readonly Page[] {
  let index = indexes.get(pages);
  if (!index) {
    const made = new Map<string, Page[]>();
    for (const page of pages.toSorted((a, b) => b.path.listSegments.length - a.path.listSegments.length)) {
      const first = page.path.listSegments[0] ?? "";
      made.set(first, [...(made.get(first) ?? []), page]);
    }
    indexes.set(pages, made);
    index = made;
  }
  return index.get(segment) ?? [];
}

/** Whether an address belongs to one of the pages, and to which operation of it. */
export function route(site: Site, method: string, path: string, speaks: Speaks = "html"): Route {
  const segments = path.split("/").slice(1);
  let strayed: Page | undefined;
  const below = (listSegments: readonly string[]): boolean =>
    listSegments.every((segment, index) => normalSegment(segments[index] ?? "") === segment);
  for (const page of pagesBelow(site.pages, normalSegment(segments[0] ?? ""))) {
    const { listSegments } = page.path;
    if (!below(listSegments)) continue;
    const rest = segments.slice(listSegments.length);
    // No key is empty in an address (see settings/bound/path.ts), so a slash at the end is one too many. A form is taken all the same.
    const slash = rest.length > 0 && rest.at(-1) === "";
    const address = addressOf(page, slash ? rest.slice(0, -1) : rest, speaks);
    if (!address) {
      strayed ??= page;
      continue;
    }
    if (slash && (method === "GET" || method === "HEAD")) return { kind: "moved", page, to: path.slice(0, -1) };
    const { operations } = address;
    const asked = method === "HEAD" ? "GET" : method;
    const operation = Object.hasOwn(operations, asked) ? operations[asked] : undefined;
    if (operation) return { kind: "page", page, operation, keySegments: address.segments };
    const allow = allowedAt(page, slash ? rest.slice(0, -1) : rest);
    if (method === "OPTIONS") return { kind: "options", page, allow };
    return { kind: "method-not-allowed", page, allow };
  }
  const unsound = site.unsound.find((each) => below(each.listSegments));
  if (unsound) return { kind: "unsound", name: unsound.name };
  return strayed ? { kind: "strayed", page: strayed } : { kind: "nowhere" };
}
