import type { Page } from "../page/page.js";
import type { Operation } from "../round-trip.js";

/** Where an address leads: a page and an operation, or why nowhere. */
export type Route =
  | {
      readonly kind: "page";
      readonly page: Page;
      readonly operation: Operation;
      readonly keySegments: readonly string[];
    }
  | { readonly kind: "method-not-allowed"; readonly page: Page; readonly allow: string }
  | { readonly kind: "unsound"; readonly name: string }
  | { readonly kind: "nowhere" };

/** A route that leads to a page of ours, sound or not. */
export type MatchedRoute = Exclude<Route, { readonly kind: "nowhere" }>;

/** What is served: the sound pages, and the addresses of those whose files have errors. */
export interface Site {
  readonly pages: readonly Page[];
  readonly unsound: readonly { readonly name: string; readonly listSegments: readonly string[] }[];
}

/** What a page answers at an address below its own: the operation by method. */
function operationsAt(page: Page, rest: readonly string[]): Partial<Record<string, Operation>> | undefined {
  if (rest.length === 0) return { GET: "list" };
  if (rest.length === page.path.columns.length + 1 && rest.at(-1) === "edit") return { GET: "open", POST: "save" };
  return undefined;
}

/** Whether an address belongs to one of the pages, and to which operation of it. */
export function route(site: Site, method: string, path: string): Route {
  const segments = path.split("/").slice(1);
  const below = (listSegments: readonly string[]): boolean =>
    listSegments.every((segment, index) => segments[index] === segment);
  for (const page of site.pages) {
    const { listSegments } = page.path;
    if (!below(listSegments)) continue;
    const rest = segments.slice(listSegments.length);
    const operations = operationsAt(page, rest);
    if (!operations) continue;
    const asked = method === "HEAD" ? "GET" : method;
    const operation = Object.hasOwn(operations, asked) ? operations[asked] : undefined;
    if (operation) return { kind: "page", page, operation, keySegments: rest.slice(0, -1) };
    const allow = Object.keys(operations)
      .flatMap((each) => (each === "GET" ? ["GET", "HEAD"] : [each]))
      .join(", ");
    return { kind: "method-not-allowed", page, allow };
  }
  const unsound = site.unsound.find((each) => below(each.listSegments));
  return unsound ? { kind: "unsound", name: unsound.name } : { kind: "nowhere" };
}
