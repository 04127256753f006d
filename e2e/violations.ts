import { readFileSync } from "node:fs";
import { createRequire } from "node:module";
import type { Page } from "@playwright/test";
import type { AxeResults, ElementContext, RunOptions } from "axe-core";

type RunOnly = NonNullable<RunOptions["runOnly"]>;

const source = readFileSync(createRequire(import.meta.url).resolve("axe-core/axe.min.js"), "utf8");

// The frame of the Sheet allows no scripts, so axe can't look into it: the same page is looked at above, on its own.
// Rows of a table are alike: the first ones stand for all.
const context: ElementContext = { exclude: ["iframe", "tbody > tr:nth-child(n + 7)"] };
/** All of axe's rules that stand in WCAG 2.2 up to AA, and its own good practice. */
const all: RunOnly = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"];
/** What of axe's rules looks at colours: the only ones to which another scheme can make a difference. */
const ofColours: RunOnly = { type: "rule", values: ["color-contrast", "link-in-text-block"] };

/** Ids that stand twice, and those that a label, a description or a link within the page leads to and that nothing has: axe leaves these for somebody to look at. */
const wrongIds = (page: Page): Promise<readonly string[]> =>
  page.evaluate(() => {
    const ids = [...document.querySelectorAll("[id]")].map(({ id }) => id);
    const missing = ["for", "aria-describedby", "aria-labelledby", "aria-errormessage", "href"].flatMap((name) =>
      [...document.querySelectorAll(name === "href" ? "a[href^='#']:not([href='#'])" : `[${name}]`)].flatMap((each) => {
        const value = each.getAttribute(name) ?? "";
        const wanted = name === "href" ? [decodeURIComponent(value.slice(1))] : value.split(/\s+/).filter(Boolean);
        return wanted.filter((id) => !document.getElementById(id)).map((id) => `${name} leads to no element: ${id}`);
      }),
    );
    return [...missing, ...ids.filter((id, at) => ids.indexOf(id) !== at).map((id) => `an id stands twice: ${id}`)];
  });

/** What axe finds on a page as it stands, a line each: all of its rules in the light scheme, those about colours in the dark one too; and ids that lead nowhere. */
export async function violations(page: Page): Promise<string[]> {
  // Injected once for both schemes: that takes longer than the run itself.
  await page.evaluate(source);
  const look = async (colorScheme: "light" | "dark", runOnly: RunOnly): Promise<readonly string[]> => {
    await page.emulateMedia({ colorScheme });
    // What passed is not told node by node.
    const options: RunOptions = { runOnly, iframes: false, resultTypes: ["violations"] };
    const found = await page.evaluate(
      ([within, how]) =>
        (globalThis as unknown as { axe: { run(...asked: unknown[]): Promise<AxeResults> } }).axe
          .run(within, how)
          .then((results) => results.violations),
      [context, options] as unknown as readonly [object, object],
    );
    return found.flatMap(({ id, nodes }) =>
      nodes.map(({ target, failureSummary = "" }) => `${colorScheme}, ${id}: ${target.join(" ")}: ${failureSummary}`),
    );
  };
  const dark = await look("dark", ofColours);
  return [...(await look("light", all)), ...dark, ...(await wrongIds(page))];
}
