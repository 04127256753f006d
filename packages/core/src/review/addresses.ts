import type { Finding } from "../page/finding.js";
import type { Page } from "../page/page.js";
import type { ParsedPage } from "../page/parse.js";

/** A sound page with the file that it was read from. */
export interface PlacedPage {
  readonly page: Page;
  /** Null where nothing is to be said of this one: it only takes its address. */
  readonly parsed: ParsedPage | null;
}

/**
 * Addresses that two pages want: the later one by name is refused. An address below another page's hides that page's records
 * whose keys are the words in it, which is said and nothing more.
 *
 * @param pages in the order of their names
 * @returns findings by the page's name
 */
export function reviewAddresses(pages: readonly PlacedPage[]): ReadonlyMap<string, readonly Finding[]> {
  const findings = new Map<string, Finding[]>();
  const taken = new Map<string, Page>();
  const say = ({ page, parsed }: PlacedPage, severity: Finding["severity"], code: string, message: string): void => {
    if (parsed)
      findings.set(page.name, [...(findings.get(page.name) ?? []), parsed.finding(severity, code, message, ["path"])]);
  };
  for (const placed of pages) {
    const { path } = placed.page;
    const other = taken.get(path.list);
    if (other)
      say(placed, "error", "address-taken", `The address ${path.list} is already that of the page ${other.name}.`);
    else taken.set(path.list, placed.page);
  }
  for (const placed of pages) {
    const { listSegments } = placed.page.path;
    for (let length = 1; length < listSegments.length; length++) {
      const above = taken.get(`/${listSegments.slice(0, length).join("/")}`);
      if (!above) continue;
      const hidden = listSegments.slice(length).join("/");
      say(
        placed,
        "warning",
        "address-below",
        `The address lies below that of the page ${above.name}: a record there with the key ${hidden} can't be reached.`,
      );
    }
  }
  return findings;
}
