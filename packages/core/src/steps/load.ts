import * as v from "valibot";
import { loadedColumns } from "../page/columns.js";
import { memoizePerPage } from "../page/memoize-per-page.js";
import type { Page } from "../page/page.js";
import { parserOf } from "../postgres/answered.js";
import type { Row, Stored } from "../postgres/statement.js";
import { mostOptions } from "../statements/find-choices.js";
import { choicesName, listedFields, loadStatement, versionName } from "../statements/load.js";
import type { Trip } from "../trip/trip.js";
import { byName } from "../values/by-name.js";
import type { Offer, Offers } from "../views/form-view.js";
import { constantLists } from "./offer.js";

/** A record as it is stored now. */
export interface StoredRecord {
  readonly row: Row;
  /** The row's version: `xmin`. */
  readonly version: string;
  /** Of a new record: the columns whose values the page, another record or the address gives, and not the table. */
  readonly given?: readonly string[];
  /** The entry of the change log whose old values are put into its form. */
  readonly undoes?: string;
  /** That nobody knows what is stored, since the database can't be asked. */
  readonly isUnknown?: true;
}

/** A record of which only what was sent is known. */
export const unknownRecord = (version = ""): StoredRecord => ({ row: byName(), version, isUnknown: true });

type Asking = Pick<Trip, "page" | "key" | "facts" | "dependencies">;

/** Loads one record, and nothing that the actor may not see. */
export async function load(trip: Asking): Promise<StoredRecord | null> {
  const [row] = await trip.dependencies.database.run(loadStatement(trip));
  return row ? { row, version: row[versionName] ?? "" } : null;
}

/** The last list of each field, by the text that it was read from: most requests find the same. */
const lastLists = memoizePerPage(() => new Map<number, { readonly text: string; readonly offer: Offer | null }>());

const listedIn = parserOf(v.array(v.tuple([v.string(), v.nullable(v.string())])), "[]");

/** A field's list as a statement answered it; null where it is too long for one. */
function listOf(page: Page, index: number, text: string): Offer | null {
  const known = lastLists(page);
  const last = known.get(index);
  if (last?.text === text) return last.offer;
  const pairs = listedIn(text);
  const options = pairs.map(([value, label]) => ({ value, label: label ?? value }));
  const offer: Offer | null = pairs.length > mostOptions ? null : { options, by: "list", searched: null };
  known.set(index, { text, offer });
  return offer;
}

/** Loads one record with the lists of its form. */
export async function loadForForm(
  trip: Asking,
): Promise<{ readonly record: StoredRecord; readonly lists: Offers } | null> {
  const { page, dependencies } = trip;
  const [found] = await dependencies.database.run(loadStatement(trip, { lists: true }));
  if (!found) return null;
  const row = byName<Stored>();
  for (const { name } of loadedColumns(page)) row[name] = found[name] ?? null;
  const lists = new Map(constantLists(page));
  for (const [index] of listedFields(page)) {
    const name = page.fields[index]?.column.name;
    const offer = listOf(page, index, found[choicesName(index)] ?? "[]");
    if (name !== undefined && offer) lists.set(name, offer);
  }
  return { record: { row, version: found[versionName] ?? "" }, lists };
}

/** Whether there is such a record at all, seen by the actor or not: asked only to record why none was found. */
export async function exists(trip: Asking): Promise<boolean> {
  return (await trip.dependencies.database.run(loadStatement(trip, { seen: "any" }))).length > 0;
}
