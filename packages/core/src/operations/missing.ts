import { exists } from "../steps/load.js";
import { notFound, type Refusal } from "../trip/outcome.js";
import type { Trip } from "../trip/trip.js";

/** There is no such record for the actor; which of the reasons it is stands in the record, not in the answer. */
export async function missing(trip: Trip): Promise<Refusal> {
  const { page, recorder } = trip;
  const reason = (await exists(trip))
    ? `the record exists, but not under ${page.access.rows?.source ?? "rows"}`
    : "there is no record with this key";
  recorder.note("load", [], reason);
  return notFound("no-such-record", page);
}
