import { word } from "../messages/messages.js";
import { listQuery } from "../page/list-query.js";
import type { Page } from "../page/page.js";
import { queryText, recordAddress } from "../settings/bound/path.js";
import { keyPartName, placeStatement } from "../statements/list.js";
import type { Outcome } from "../trip/outcome.js";
import type { Trip } from "../trip/trip.js";
import { partAt, questionOf } from "./list.js";
import { placeOf } from "./list-place.js";
import { missing } from "./missing.js";

/**
 * The key of the record that stands beside this one in the list as the address looks at it; null at its end, and `undefined` where there is no
 * such record.
 */
async function neighbourOf(trip: Trip, by: "next" | "previous"): Promise<readonly string[] | null | undefined> {
  const { page, key, facts, request, dependencies } = trip;
  const { question } = questionOf(page, request);
  const [row] = await dependencies.database.run(placeStatement(page, key, facts, question.sort));
  if (!row) return undefined;
  const place = { backward: by === "previous", beyond: placeOf(page, question.sort, row) };
  const { rows } = await partAt(trip, question, place, 1);
  const found = by === "next" ? rows[0] : rows.at(-1);
  return found ? page.key.map((_, index) => found[keyPartName(index)] ?? "") : null;
}

/** The address of a record's form, which keeps how the list was looked at. */
const formAddress = (page: Page, key: readonly string[], kept: Readonly<Record<string, string>>): string =>
  `${recordAddress(page.path, key)}/edit${queryText(kept)}`;

const moveTo =
  (by: "next" | "previous") =>
  async (trip: Trip): Promise<Outcome> => {
    const { page, key, request, recorder } = trip;
    const found = await neighbourOf(trip, by);
    if (found === undefined) return missing(trip);
    recorder.note("load", [{ name: by, value: found?.join("/") ?? null }]);
    recorder.note("prefill", []);
    const to = formAddress(page, found ?? key, listQuery(page, request.query));
    const said = found ? {} : { said: word(page.language, by === "next" ? "last-of-list" : "first-of-list") };
    return { kind: "shown", view: { what: "elsewhere", to, ...said } };
  };

/** Leads to the form of the next or previous record of the list; at its end back to the same one, which says so. */
export const next = moveTo("next");
export const previous = moveTo("previous");

/** Where a save leads that goes on to the next record: to its form, or to the list where there is none. */
export async function addressOfNext(trip: Trip, key: readonly string[]): Promise<string> {
  const { page, request } = trip;
  const kept = listQuery(page, request.query);
  const found = await neighbourOf({ ...trip, key }, "next");
  return found ? formAddress(page, found, kept) : `${page.path.list}${queryText(kept)}`;
}
