import type { Finding, Remark, Repair } from "../findings/finding.js";
import type { Page } from "./page.js";
import type { ParsedPage } from "./parse.js";

/** A sound page with the file that it was read from. */
export interface PlacedPage {
  readonly page: Page;
  /** Null where nothing is to be said of this one: it only takes its address. */
  readonly parsed: ParsedPage | null;
}

/** The nearest address that is free. */
function another(page: Page, pages: readonly PlacedPage[]): Repair {
  const taken = new Set(pages.map((each) => each.page.path.list));
  let number = 2;
  while (taken.has(`${page.path.list}-${number}`)) number += 1;
  const address = [`${page.path.list}-${number}`, ...page.path.columns.map((column) => `{${column}}`)].join("/");
  return { what: `take ${address}`, edits: [{ do: "set", path: ["path"], value: address }] };
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
  const say = (
    placed: PlacedPage,
    severity: Finding["severity"],
    remark: Pick<Remark, "code" | "message" | "repair">,
  ): void => {
    const { page, parsed } = placed;
    if (parsed)
      findings.set(page.name, [
        ...(findings.get(page.name) ?? []),
        parsed.finding(severity, { ...remark, path: ["path"] }),
      ]);
  };
  for (const placed of pages) {
    const { path } = placed.page;
    const other = taken.get(path.list);
    if (other)
      say(placed, "error", {
        code: "address-taken",
        message: `The address ${path.list} is already that of the page ${other.name}.`,
        repair: another(placed.page, pages),
      });
    else taken.set(path.list, placed.page);
  }
  for (const placed of pages) {
    const { listSegments } = placed.page.path;
    for (let length = 1; length < listSegments.length; length++) {
      const above = taken.get(`/${listSegments.slice(0, length).join("/")}`);
      if (!above) continue;
      const hidden = listSegments.slice(length).join("/");
      say(placed, "warning", {
        code: "address-below",
        message: `The address lies below that of the page ${above.name}: a record there with the key ${hidden} can't be reached.`,
      });
    }
  }
  return findings;
}
