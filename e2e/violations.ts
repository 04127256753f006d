import { AxeBuilder } from "@axe-core/playwright";
import type { Page } from "@playwright/test";

/** What of axe's rules looks at colours: the only ones to which another scheme can make a difference. */
const ofColours = ["color-contrast", "link-in-text-block"];

/** What axe finds on a page as it stands, a line each: all of its rules in the light scheme, those about colours in the dark one too. */
export async function violations(page: Page): Promise<string[]> {
  // The frame of the Sheet allows no scripts, so axe can't look into it: the same page is looked at above, on its own.
  // Rows of a table are alike: the first ones stand for all. Without frames axe needs no page of its own to put together what it found in each,
  // which takes longer than looking.
  const axe = () => new AxeBuilder({ page }).setLegacyMode().exclude("iframe").exclude("tbody > tr:nth-child(n + 7)");
  const light = await axe()
    .withTags(["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"])
    .analyze();
  await page.emulateMedia({ colorScheme: "dark" });
  const dark = await axe().withRules(ofColours).analyze();
  await page.emulateMedia({ colorScheme: "light" });
  const told = (scheme: string, found: typeof light) =>
    found.violations.flatMap(({ id, nodes }) =>
      nodes.map(({ target, failureSummary }) => `${scheme}, ${id}: ${target.join(" ")}: ${failureSummary ?? ""}`),
    );
  return [...told("light", light), ...told("dark", dark)];
}
