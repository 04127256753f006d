import { AxeBuilder } from "@axe-core/playwright";
import type { Page } from "@playwright/test";

export type Scheme = "light" | "dark";

/** What of axe's rules looks at colours: the only ones to which another scheme can make a difference. */
const ofColours = ["color-contrast", "link-in-text-block"];

/** What axe finds on a page, a line each. */
export async function violations(page: Page, scheme: Scheme = "light"): Promise<string[]> {
  // The frame of the Sheet allows no scripts, so axe can't look into it: the same page is looked at above, on its own.
  const axe = new AxeBuilder({ page }).exclude("iframe");
  const { violations: found } = await (scheme === "dark"
    ? axe.withRules(ofColours)
    : axe.withTags(["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"])
  ).analyze();
  return found.flatMap((each) =>
    each.nodes.map((node) => `${each.id}: ${node.target.join(" ")}: ${node.failureSummary ?? ""}`),
  );
}
