import type { Facts } from "../condition/evaluate.js";
import type { Page } from "../page/page.js";
import type { Recorder } from "./recording.js";
import type { Dependencies, PageRequest } from "./request.js";

/** One request on its way, once Route, Key and Access are behind it. */
export interface Trip {
  readonly page: Page;
  /** The key's values in the order of the address; empty for an operation without a record. */
  readonly key: readonly string[];
  readonly request: PageRequest;
  /** What conditions are asked about: who and when; row and form are added where they are known. */
  readonly facts: Facts;
  readonly recorder: Recorder;
  readonly dependencies: Dependencies;
}
