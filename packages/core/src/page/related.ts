import type { Finding, Repair } from "../findings/finding.js";
import { spelling } from "../findings/spelling.js";
import { type Column, columnOf, type Reference } from "../table/model.js";
import { suggestion } from "../values/nearest.js";
import type { PlacedPage } from "./addresses.js";
import { loadedColumns } from "./columns.js";
import type { Page, RelatedPage } from "./page.js";

/** Another page whose records refer to those of a page, and the columns by which they do. */
export interface Relation {
  readonly page: Page;
  /** Pair by pair: the column that refers, and the one that it refers to. */
  readonly pairs: readonly { readonly theirs: Column; readonly ours: Column }[];
}

const refersTo = (page: Page, { to }: Reference): boolean =>
  to.schema === page.table.schema && to.table === page.table.name;

/** The foreign keys of another page's table that lead to this one's. */
const referencesTo = (page: Page, other: Page): readonly Reference[] =>
  other.table.references.filter((reference) => refersTo(page, reference));

/** How another page's records refer to a page's; null where they don't, or in several ways of which none is named. */
function relationBy(page: Page, other: Page, by: string | null): Relation | null {
  const found = referencesTo(page, other).filter(({ columns }) => by === null || columns.includes(by));
  const [reference] = found;
  if (!reference || found.length > 1) return null;
  const pairs = reference.columns.flatMap((name, index) => {
    const [theirs, ours] = [columnOf(other.table, name), columnOf(page.table, reference.to.columns[index] ?? "")];
    return theirs && ours ? [{ theirs, ours }] : [];
  });
  const isLoaded = pairs.every(({ ours }) => loadedColumns(page).includes(ours));
  return pairs.length === reference.columns.length && isLoaded ? { page: other, pairs } : null;
}

/** The related page that a page's file names, among those that are served; null where there is none. */
export function relationOf(page: Page, { name, by }: RelatedPage, pages: readonly Page[]): Relation | null {
  const other = pages.find((each) => each.name === name);
  return other ? relationBy(page, other, by) : null;
}

/**
 * Related pages that are not there, or don't refer to the page.
 *
 * @param pages those that are served together
 * @param others names of pages of which nothing is known here; null where any page may be one of them
 * @returns findings by the page's name
 */
export function reviewRelated(
  pages: readonly PlacedPage[],
  others: readonly string[] | null = [],
): ReadonlyMap<string, readonly Finding[]> {
  const all = new Map(pages.map(({ page }) => [page.name, page]));
  const known = [...all.keys()];
  // A thousand pages may name the same one that is not there.
  const hints = new Map<string, { readonly told: string; readonly repair: ReturnType<typeof spelling> }>();
  const hintFor = (name: string) => {
    const found = hints.get(name) ?? { told: suggestion(name, known), repair: spelling(name, known) };
    hints.set(name, found);
    return found;
  };
  return new Map(
    pages.flatMap((placed): [string, Finding[]][] => {
      const { page } = placed;
      const findings = page.related.flatMap(({ name, by }, index): Finding[] => {
        const say = (message: string, repair?: Repair): Finding[] => {
          const { parsed } = placed;
          return parsed
            ? [parsed.finding("warning", { code: "related", message, path: ["related", index], repair })]
            : [];
        };
        const other = all.get(name);
        if (!other && (others === null || others.includes(name))) return [];
        if (!other)
          return say(
            `No page is called "${name}", so its list is left out.${hintFor(name).told}`,
            hintFor(name).repair,
          );
        if (relationBy(page, other, by)) return [];
        const ways = referencesTo(page, other).map(({ columns }) => columns.join(", "));
        if (ways.length > 1 && by === null)
          return say(
            `The records of "${name}" refer to these in several ways: name the column in by, one of ${ways.join("; ")}.`,
          );
        return say(
          `The records of "${name}" don't refer to those of this page${by === null ? "" : ` by "${by}"`}: there is no such foreign key to columns that this page has.`,
        );
      });
      return findings.length > 0 ? [[page.name, findings]] : [];
    }),
  );
}
