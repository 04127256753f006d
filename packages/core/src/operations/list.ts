import type { Option } from "../controls/control.js";
import { word } from "../messages/messages.js";
import { idOf } from "../page/ids.js";
import { listNames, listQuery } from "../page/list-query.js";
import { everywhereName, keyName, straightName } from "../page/names.js";
import type { Page } from "../page/page.js";
import { isRefusedAs } from "../postgres/refusal.js";
import { encodeSegment, queryText, recordAddress } from "../settings/bound/path.js";
import { isSmall } from "../settings/bound/sorting.js";
import { keyPartName, type ListQuestion, mostCounted, sortName } from "../statements/list.js";
import { mayMake } from "../steps/access.js";
import { readSaid } from "../steps/answer.js";
import { readKey } from "../steps/key.js";
import { load, type StoredRecord } from "../steps/load.js";
import { listOf } from "../steps/offer.js";
import { takenFields } from "../steps/prefill.js";
import { type Outcome, refused } from "../trip/outcome.js";
import { Recorder } from "../trip/recording.js";
import type { PageRequest } from "../trip/request.js";
import type { Trip } from "../trip/trip.js";
import type { AskedProblem, ListCount, ListView, SoughtKey } from "../views/list-view.js";
import { told } from "../views/told.js";
import { lockedBecause } from "./form.js";
import { type AskedFilters, judgeFilters, readFilters } from "./list-filters.js";
import { isNarrowed, type Part, type Place, partWithin } from "./list-part.js";
import { readPlace, sortIn, sortNames, sortText, writePlace } from "./list-place.js";
import { type RowSent, type RowState, rowForms, rowsAlone } from "./row-forms.js";

/** The most that can be searched for, in characters. */
const longestSearch = 200;

/** What an address asks of a page's list. */
export interface Asked {
  readonly question: ListQuestion;
  readonly filters: AskedFilters;
  /** What else it asks for that the list does not have: names that are nothing here, an order that there is none. */
  readonly strays: readonly AskedProblem[];
}

/** Reads what an address asks of a page's list. */
export function questionOf(page: Page, { query, repeated = [] }: Pick<PageRequest, "query" | "repeated">): Asked {
  const filters = readFilters(page, query);
  const typed = (query.q ?? "").replaceAll("\0", "").trim();
  const strays: AskedProblem[] = [];
  if (typed.length > longestSearch)
    strays.push({ parameter: "q", detail: word(page.language, "search-too-long", { max: longestSearch }) });
  for (const name of repeated)
    strays.push({ parameter: name, detail: word(page.language, "parameter-repeated", { name }) });
  const names = listNames(page);
  for (const name of Object.keys(query))
    if (!names.has(name))
      strays.push({
        parameter: name,
        detail: word(page.language, "no-such-parameter", { name, names: [...names].join(", ") }),
      });
  const sort = sortIn(page, query.sort);
  if (query.sort && sortText(sort) !== query.sort)
    strays.push({
      parameter: "sort",
      detail: word(page.language, "sort-wrong", { name: query.sort, names: sortNames(page).join(", ") }),
    });
  const terms = filters.terms.map(({ term }) => term);
  return { question: { search: typed.slice(0, longestSearch), sort, filters: terms }, filters, strays };
}

/** The records to choose from in filters, by column; too many for a list are left out. */
async function filterOffers({ page, facts, dependencies }: Trip): Promise<ListView["offers"]> {
  const offers = page.list.filters.map(async ({ column, way }): Promise<[string, readonly Option[]][]> => {
    const options = way.by === "record" ? await listOf(way.choices, facts, dependencies.database) : null;
    return options ? [[column.name, options]] : [];
  });
  return new Map((await Promise.all(offers)).flat());
}

/** How many there are: counted where that is quick, from PostgreSQL's statistics where all rows are seen, else not known. */
function countOf({ page }: Trip, narrowed: boolean, { rows, count }: Part): ListCount | null {
  if (count !== null)
    return count > mostCounted ? { number: mostCounted, is: "more than" } : { number: count, is: "exactly" };
  const isAll = !narrowed && page.access.rows === null;
  return isAll && page.table.rows !== null && rows.length > 0 ? { number: page.table.rows, is: "about" } : null;
}

/** The key that somebody typed to go to its record; null where nobody did. */
function soughtKey(page: Page, query: Readonly<Record<string, string>>): readonly string[] | null {
  const ofAddress = page.key.length === 1 ? query[keyName] : undefined;
  const typed = page.key.map(({ name }) => (query[`go.${name}`] ?? ofAddress)?.trim());
  return typed.every((each) => each === undefined || each === "") ? null : typed.map((each) => each ?? "");
}

/** Where a typed key leads: to its form, or to the record where it can't be edited, or back with what is the matter. */
async function goTo(trip: Trip, typed: readonly string[]): Promise<Outcome | SoughtKey> {
  const { page, recorder } = trip;
  const read = readKey(page, typed.map(encodeSegment));
  const key = read.ok ? read.key : null;
  let record = null;
  try {
    record = key && (await load({ ...trip, key }));
  } catch (error) {
    // A key of a type that only PostgreSQL can judge.
    if (!isRefusedAs(error, "bad value")) throw error;
  }
  recorder.note(
    "load",
    page.key.map(({ name }, index) => ({ name, value: typed[index] ?? null, note: "go to" })),
    record ? null : "there is no record with this key",
  );
  if (key && record) return elsewhere(formAddress(trip, key, record));
  return { typed, problem: word(page.language, "no-such-key", { key: typed.join(" / ") }) };
}

/**
 * The address of a record's form, at a field of it; of the record itself where it can't be edited and its form does not stand beside the list.
 */
function formAddress(trip: Trip, key: readonly string[], record: StoredRecord): string {
  const { page, facts } = trip;
  const kept = queryText(listQuery(page, trip.request.query));
  const address = recordAddress(page.path, key);
  if (lockedBecause(page, record, facts) !== null) return `${address}${page.list.beside ? "/edit" : ""}${kept}`;
  const [first] = takenFields(page, "edit", record.row, facts);
  return `${address}/edit${kept}${first ? `#${idOf(first)}` : ""}`;
}

const elsewhere = (to: string): Outcome => ({ kind: "shown", view: { what: "elsewhere", to } });

/** Where a search leads that found one record alone, on the way of the page's own search; null where it found another number. */
async function straightTo(trip: Trip, { rows, previous, next, search, looked }: ListView): Promise<Outcome | null> {
  const { page, request } = trip;
  const [row, ...others] = rows;
  const isAlone = row && others.length === 0 && !previous && !next && search !== "" && looked === null;
  if (!isAlone || request.query[straightName] === undefined || request.api) return null;
  const key = page.key.map((_, index) => row[keyPartName(index)] ?? "");
  const record = await load({ ...trip, key });
  return record && elsewhere(formAddress(trip, key, record));
}

/** The list of a page's records that the actor may see. */
export async function list(trip: Trip): Promise<Outcome> {
  const { page, request, dependencies } = trip;
  const typed = soughtKey(page, request.query);
  const sought = typed && (await goTo(trip, typed));
  if (sought && "kind" in sought) return sought;
  const said = readSaid(request, dependencies.signer);
  const view = await listView(trip);
  // A program would take all records for those that it asked for.
  if (request.api && view.wrong.length > 0) return refused("query-wrong", page, { parameters: view.wrong });
  const straight = await straightTo(trip, view);
  if (straight) return straight;
  const list = { ...view, sought: sought ?? null, notice: said, savedAddress: said?.address || null };
  return { kind: "shown", view: { what: "list", list } };
}

/** The same place of the list again, after rows of it were sent or beside a form, of which the steps note nothing. */
export const listAgain = (
  trip: Trip,
  states: readonly RowState[],
  sent: readonly RowSent[],
  problem: string | null = null,
): Promise<ListView> => listView({ ...trip, recorder: new Recorder(() => 0) }, states, sent, problem);

/** Rows that were sent, where the list can't be asked for: nothing that was typed is lost. */
export async function listWithoutDatabase(
  trip: Trip,
  states: readonly RowState[],
  sent: readonly RowSent[],
  problem: string | null,
): Promise<ListView> {
  const { page, request, facts } = trip;
  const { question, filters } = questionOf(page, request);
  return {
    page,
    rows: [],
    search: question.search,
    filters: filters.states,
    wrong: [],
    offers: new Map(),
    sort: question.sort,
    kept: listQuery(page, request.query),
    previous: null,
    next: null,
    count: null,
    tooSlow: false,
    looked: null,
    sought: null,
    forms: page.list.edit.length > 0 ? rowsAlone(trip, states, sent) : null,
    problem,
    makes: mayMake(page, facts),
    notice: null,
    savedAddress: null,
  };
}

async function listView(
  trip: Trip,
  states: readonly RowState[] = [],
  sent: readonly RowSent[] = [],
  problem: string | null = null,
): Promise<ListView> {
  const { page, request, facts, recorder, dependencies } = trip;
  const { signer } = dependencies;
  const { query } = request;
  const { question, filters: read, strays } = questionOf(page, request);
  const { search, sort } = question;
  const after = readPlace(page, sort, query.after, signer);
  const before = readPlace(page, sort, query.before, signer);
  const lost = [query.after && !after ? "after" : [], query.before && !before ? "before" : []].flat();
  const places = lost.map((parameter) => ({ parameter, detail: word(page.language, "place-wrong") }));
  let filters = read;
  let place: Place = before
    ? { backward: true, beyond: before }
    : { backward: after === null && query.last !== undefined, beyond: after };
  let part: Part = { rows: [], more: false, count: null };
  let tooSlow = false;
  const isSound = filters.problems.length === 0;
  // What only the database can judge is told together with what else is wrong.
  if (!isSound) filters = await judgeFilters(page, filters, dependencies.database);
  try {
    // A program would take a few records for all of them.
    const everywhere = query[everywhereName] !== undefined || Boolean(request.api);
    if (isSound) part = await partWithin(trip, question, place, { everywhere });
    // Of a search that went on from where it was stopped, nothing more is an answer.
    const isSearched = isNarrowed(question) && !isSmall(page.table);
    if (isSound && part.rows.length === 0 && !isSearched && (place.beyond !== null || place.backward)) {
      // What was there is gone: the list begins anew.
      place = { backward: false, beyond: null };
      part = await partWithin(trip, question, place, { everywhere });
    }
  } catch (error) {
    if (filters.terms.length > 0 && isRefusedAs(error, "bad value", "bad statement")) {
      filters = await judgeFilters(page, filters, dependencies.database);
      if (filters.problems.length === 0) throw error;
    } else if (isNarrowed(question) && isRefusedAs(error, "took too long")) tooSlow = true;
    else throw error;
  }
  noteList(recorder, question, filters, { part, tooSlow });
  const isFirst = place.backward ? !part.more : place.beyond === null;
  const isLast = place.backward ? place.beyond === null : !part.more;
  const { backward } = place;
  const end = part.stopped?.at;
  // What was stopped goes on where it stopped, not where it found something last.
  const top = (backward ? end : undefined) ?? part.rows[0];
  const bottom = (backward ? undefined : end) ?? part.rows.at(-1);
  const cameFrom = part.rows.length === 0 && !backward && query.after ? { before: query.after } : null;
  return {
    page,
    rows: part.rows,
    search,
    filters: filters.states,
    wrong: [...filters.problems, ...strays, ...places],
    offers: await filterOffers(trip),
    sort,
    kept: listQuery(page, query),
    previous: isFirst || !top ? cameFrom : { before: writePlace(page, sort, top, signer) },
    next: isLast || !bottom || part.exact ? null : { after: writePlace(page, sort, bottom, signer) },
    count: countOf(trip, isNarrowed(question), part),
    tooSlow,
    looked: lookedOf(trip, question, part, place),
    sought: null,
    forms: page.list.edit.length > 0 ? await rowForms(trip, part.rows, states, sent) : null,
    problem,
    makes: mayMake(page, facts),
    notice: null,
    savedAddress: null,
  };
}

/** How far a search came, where that is to be said. */
function lookedOf({ page }: Trip, { sort, search }: ListQuestion, part: Part, place: Place): ListView["looked"] {
  if (part.exact) return { how: "exact", search };
  if (part.stopped) {
    const { at, looked } = part.stopped;
    const value = told(page, sort.column, at[sortName] ?? null);
    return { how: "stopped", records: looked, until: value, backward: place.backward };
  }
  return part.rows.length === 0 && place.beyond !== null ? { how: "to the end" } : null;
}

function noteList(
  recorder: Trip["recorder"],
  { search, sort }: ListQuestion,
  filters: AskedFilters,
  { part, tooSlow }: { readonly part: Part; readonly tooSlow: boolean },
): void {
  recorder.note("load", [
    { name: "search", value: search || null },
    { name: "sort", value: sortText(sort) },
    ...filters.states.flatMap(({ filter, typed, problem }) =>
      Object.entries(typed).flatMap(([bound, value]) =>
        value === "" ? [] : [{ name: `${bound} ${filter.column.name}`, value, ...(problem ? { note: problem } : {}) }],
      ),
    ),
    { name: "rows", value: String(part.rows.length) },
    ...(tooSlow ? [{ name: "stopped", value: null, note: "the search took too long" }] : []),
    ...(part.exact ? [{ name: "found", value: null, note: "by a value in full" }] : []),
    ...(part.stopped
      ? [{ name: "stopped", value: part.stopped.at[sortName] ?? null, note: `after ${part.stopped.looked} records` }]
      : []),
  ]);
  recorder.note("prefill", []);
}
