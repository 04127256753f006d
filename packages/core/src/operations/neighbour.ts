import { word } from "../messages/messages.js";
import { idOf } from "../page/ids.js";
import { listQuery } from "../page/list-query.js";
import type { Page } from "../page/page.js";
import { queryText, recordAddress } from "../settings/bound/path.js";
import { isEditableRow, keyPartName, placeStatement } from "../statements/list.js";
import type { Outcome } from "../trip/outcome.js";
import type { Trip } from "../trip/trip.js";
import { questionOf } from "./list.js";
import { partWithin } from "./list-part.js";
import { placeOf } from "./list-place.js";
import { missing } from "./missing.js";

/** So many records are looked at beyond one, to find the next that can be edited. */
const mostPassed = 1000;

/**
 * The key of the next record in the list, as the address looks at it, that can be edited; null where there is none up to its end, `undefined`
 * where there is no such record as this one, and "stopped" where it takes too long to find it.
 */
async function neighbourOf(
  trip: Trip,
  by: "next" | "previous",
): Promise<readonly string[] | "stopped" | null | undefined> {
  const { page, key, facts, request, dependencies } = trip;
  const { question } = questionOf(page, request);
  const [row] = await dependencies.database.run(placeStatement(page, key, facts, question.sort));
  if (!row) return undefined;
  let last = row;
  // One row is asked for first: mostly it is the one.
  for (let [passed, length] = [0, 1]; passed < mostPassed; passed += length, length = 50) {
    const place = { backward: by === "previous", beyond: placeOf(page, question.sort, last) };
    const { rows, more, stopped } = await partWithin(trip, question, place, { length });
    const onward = by === "next" ? rows : rows.toReversed();
    const found = onward.find((each) => isEditableRow(page, each));
    if (found) return page.key.map((_, index) => found[keyPartName(index)] ?? "");
    if (stopped) return "stopped";
    const end = onward.at(-1);
    if (!more || !end) return null;
    last = end;
  }
  return null;
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
    const isStopped = found === "stopped";
    recorder.note("load", [
      isStopped
        ? { name: by, value: null, note: "the search took too long" }
        : { name: by, value: found?.join("/") ?? null },
    ]);
    recorder.note("prefill", []);
    if (isStopped) {
      const list = `${page.path.list}${queryText(listQuery(page, request.query))}`;
      return { kind: "shown", view: { what: "elsewhere", to: list, said: word(page.language, "search-too-slow") } };
    }
    const to = formAddress(page, found ?? key, listQuery(page, request.query));
    const said = found ? {} : { said: word(page.language, by === "next" ? "last-of-list" : "first-of-list") };
    return { kind: "shown", view: { what: "elsewhere", to, ...said } };
  };

/** Leads to the form of the next or previous record of the list; at its end back to the same one, which says so. */
export const next = moveTo("next");
export const previous = moveTo("previous");

/**
 * Where a save leads that goes on to the next record: to its form, at the field that was changed in this one; or to the list where there is
 * none, which says so.
 */
export async function addressOfNext(
  trip: Trip,
  key: readonly string[],
  changed: string | undefined,
): Promise<{ readonly to: string; readonly isLast: boolean }> {
  const { page, request } = trip;
  const kept = listQuery(page, request.query);
  const found = await neighbourOf({ ...trip, key }, "next");
  // Where it would take too long, the list goes on looking.
  if (!found || found === "stopped") return { to: `${page.path.list}${queryText(kept)}`, isLast: found !== "stopped" };
  const field = page.fields.find(({ column }) => column.name === changed);
  return { to: `${formAddress(page, found, kept)}${field ? `#${idOf(field)}` : ""}`, isLast: false };
}
