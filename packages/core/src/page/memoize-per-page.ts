import type { Page } from "./page.js";

/** What is made of a page alone, once for each: a page never changes, another version is another one. */
export function memoizePerPage<Made>(make: (page: Page) => Made): (page: Page) => Made {
  const known = new WeakMap<Page, { readonly made: Made }>();
  return (page) => {
    const found = known.get(page);
    if (found) return found.made;
    const made = make(page);
    known.set(page, { made });
    return made;
  };
}
