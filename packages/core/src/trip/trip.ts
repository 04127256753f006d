import type { Facts } from "../condition/facts.js";
import type { LogNote } from "../log/entry.js";
import type { Page } from "../page/page.js";
import type { Database } from "../postgres/statement.js";
import type { SavedEvent } from "./own.js";
import type { Recorder } from "./recording.js";
import type { Dependencies, PageRequest } from "./request.js";

/** One request on its way, once Route, Key and Access are behind it. */
export interface Trip {
  readonly page: Page;
  /** The key's values in the order of the address; empty where there is no record, as for a new one. */
  readonly key: readonly string[];
  readonly request: PageRequest;
  /** What conditions are asked about: who and when; row and form are added where they are known. */
  readonly facts: Facts;
  /** Why it is saved, where the person said so. */
  readonly reason?: string | null;
  /** The entries of the change log that it puts back; those of the request where it is left out. */
  readonly undoes?: readonly string[];
  readonly recorder: Recorder;
  /** What was saved, for what is done after it. */
  readonly saved: SavedEvent[];
  /** What was sent to be saved and of which nobody knows yet whether it was: each asks the log anew, and answers null as long as that is so. */
  readonly undecided: (() => Promise<readonly SavedEvent[] | null>)[];
  readonly dependencies: Dependencies;
}

/** The same trip inside of a transaction, about the record of this key. */
export const inside = (trip: Trip, database: Database, key: readonly string[] = trip.key): Trip => ({
  ...trip,
  key,
  dependencies: { ...trip.dependencies, database },
});

/** What the change log is told of a trip besides the change. */
export const logNoteOf = ({
  page,
  facts,
  request,
  reason = null,
  undoes = request.undoes ?? [],
}: Pick<Trip, "page" | "facts" | "request" | "reason" | "undoes">): LogNote => ({
  reason,
  undoes,
  actor: facts.actor,
  page: page.name,
  pageVersion: page.version,
  requestId: request.id,
});
