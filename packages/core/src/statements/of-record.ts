import type { Facts } from "../condition/facts.js";
import type { Page } from "../page/page.js";

/** The record that a statement is about, and who asks for it: a trip is all of it. */
export interface OfRecord {
  readonly page: Page;
  /** The key's values, in the order of the page's key. */
  readonly key: readonly string[];
  /** What conditions are asked about. */
  readonly facts: Facts;
}
