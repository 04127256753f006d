import {
  type Actor,
  ConditionTooLong,
  everyPart,
  type Facts,
  type Frame,
  factsOf,
  mayOpen,
  type Page,
} from "@loyal-quill/core";

type Shown = ReturnType<NonNullable<Frame["pages"]>>;

/** A navigation has so many links, and is made of so many pages at most: each asks whether it is open. */
const mostLinks = 8;
const mostAsked = 100;

/** So many navigations are remembered of a set of pages. */
const mostKept = 500;

/** Whether a page is open to somebody. One that asks too much says so itself when it is opened. */
export function opens(page: Page, facts: Facts): boolean {
  try {
    return mayOpen(page, facts) === true;
  } catch (error) {
    if (error instanceof ConditionTooLong) return false;
    throw error;
  }
}

const asksForTheTime = ({ access: { open } }: Page): boolean =>
  open !== null && everyPart(open.expression).some(({ op }) => op === "now");

const typedText = (value: unknown): string => `${typeof value} ${String(value)}`;

/** All that a condition can ask of somebody; a number and its text are two values. */
const markOf = ({ id, name, roles, pages, attributes = {} }: Actor): string =>
  JSON.stringify([
    id,
    name,
    roles,
    pages,
    Object.entries(attributes).map(([of, value]) => [
      of,
      Array.isArray(value) ? value.map(typedText) : typedText(value),
    ]),
  ]);

/** The navigations of one set of pages. */
class Navigations {
  private readonly kept = new Map<string, Shown>();
  private readonly asked: readonly Page[];
  private readonly mayKeep: boolean;

  constructor(private readonly pages: readonly Page[]) {
    this.asked = pages.slice(0, mostAsked);
    this.mayKeep = !this.asked.some(asksForTheTime);
  }

  of(actor: Actor, base: string, path: string): Shown {
    const current = this.at(path);
    if (!this.mayKeep) return this.made(actor, base, current);
    const key = JSON.stringify([base, current?.name, markOf(actor)]);
    const known = this.kept.get(key);
    if (known) return known;
    const made = this.made(actor, base, current);
    const [oldest] = this.kept.size < mostKept ? [] : this.kept.keys();
    if (oldest !== undefined) this.kept.delete(oldest);
    this.kept.set(key, made);
    return made;
  }

  /** The page that an address belongs to: where one page's list lies below another's, the innermost. */
  private at(path: string): Page | null {
    let found: Page | null = null;
    for (const page of this.asked) {
      const { list } = page.path;
      const isHere = path === list || path.startsWith(`${list}/`);
      if (isHere && list.length > (found?.path.list.length ?? -1)) found = page;
    }
    return found;
  }

  /** The first of the pages that are open to somebody: as many as a header has room for. */
  private made(actor: Actor, base: string, current: Page | null): Shown {
    const facts = factsOf(actor, new Date());
    const open: Page[] = [];
    for (const page of this.asked) {
      if (open.length > mostLinks) break;
      if (opens(page, facts)) open.push(page);
    }
    const links = open.slice(0, mostLinks).map((page) => ({
      name: page.name,
      title: page.plural,
      href: `${base}${page.path.list}`,
      isCurrent: page === current,
    }));
    return { links, more: open.length > mostLinks || this.pages.length > mostAsked };
  }
}

const navigations = new WeakMap<readonly Page[], Navigations>();

/**
 * The way from page to page: the pages that are open to somebody, a few of many. The same object where all that it depends on is the same.
 *
 * @param path of the request, below `base`
 */
export function navigationOf(pages: readonly Page[], actor: Actor, base: string, path: string): Shown {
  const known = navigations.get(pages) ?? new Navigations(pages);
  navigations.set(pages, known);
  return known.of(actor, base, path);
}
