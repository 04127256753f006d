import * as v from "valibot";
import { listQuery } from "../../page/list-query.js";
import { mayMake } from "../../steps/access.js";
import { sessionMark } from "../../steps/token.js";
import type { Outcome } from "../../trip/outcome.js";
import type { Work } from "../../trip/request.js";
import type { Trip } from "../../trip/trip.js";
import type { UploadView } from "../../views/upload-view.js";

/** What goes along from the preview to the save: a row's mark with the controls that are to be sent, and those that are in conflict. */
export const carriedSchema = v.array(
  v.strictObject({
    line: v.number(),
    mark: v.string(),
    pairs: v.array(v.tuple([v.string(), v.string()])),
    open: v.array(v.tuple([v.string(), v.string()])),
  }),
);
export type Carried = v.InferOutput<typeof carriedSchema>;

export function jsonOf(text: string): unknown {
  try {
    return JSON.parse(text) as unknown;
  } catch {
    return undefined;
  }
}

/** Nobody waits for an upload any more: what it has written is taken back. */
export class GivenUp extends Error {
  override readonly name = "GivenUp";
}

/** So many rows are worked on until others are answered. */
const rowsAtATime = 100;

/** Goes on with the next row: others are answered now and then, and it is told how far it has come. @throws {GivenUp} */
export async function goOn(
  { dependencies: { work, pause } }: Trip,
  phase: Parameters<Work["tell"]>[0],
  done: number,
  of: number,
): Promise<void> {
  if (done % rowsAtATime > 0) return;
  work?.tell(phase, done, of);
  await pause(0);
  expectWaiting({ work });
}

/** @throws {GivenUp} where nobody waits any more */
export function expectWaiting({ work }: { readonly work?: Work | undefined }): void {
  if (work?.isGivenUp()) throw new GivenUp("nobody waits for this upload any more");
}

export const viewOf = (trip: Trip, more: Partial<UploadView>): UploadView => ({
  page: trip.page,
  kept: listQuery(trip.page, trip.request.query),
  problem: null,
  read: null,
  rows: [],
  carried: null,
  session: sessionMark(trip.request.session, trip.dependencies.signer),
  left: null,
  saved: null,
  reason: null,
  makes: mayMake(trip.page, trip.facts),
  takesNew: false,
  ...more,
});

export const shownUpload = (upload: UploadView): Outcome => ({ kind: "shown", view: { what: "upload", upload } });
export const refusedUpload = (upload: UploadView): Outcome => ({ kind: "invalid", view: { what: "upload", upload } });
