import { factsOf } from "../condition/facts.js";
import { withPrefix } from "../page/names.js";
import { type Relation, relationOf } from "../page/related.js";
import type { Row } from "../postgres/statement.js";
import { filterNames, filterText } from "../settings/bound/filters.js";
import { mayMake, mayOpen } from "../steps/access.js";
import type { Trip } from "../trip/trip.js";
import type { RelatedList } from "../views/record-view.js";
import { partAt } from "./list-part.js";

/** So many related records are shown on a record's page. */
const mostRelated = 10;

async function relatedList(trip: Trip, relation: Relation, row: Row): Promise<RelatedList | null> {
  const { page, pairs } = relation;
  const facts = factsOf(trip.facts.actor, trip.facts.now);
  if (mayOpen(page, facts) !== true) return null;
  const values = pairs.map(({ theirs, ours }) => ({ column: theirs, value: row[ours.name] ?? null }));
  // A record without a value there is referred to by none.
  const given = values.flatMap(({ column, value }) => (value === null ? [] : [{ column, value }]));
  if (given.length < values.length) return null;
  const { sort } = page.list;
  const filters = given.map(({ column, value }) => ({ column, value, is: "equal" as const }));
  const place = { backward: false, beyond: null };
  const { rows, more } = await partAt({ ...trip, page, facts }, { search: "", sort, filters }, place, {
    length: mostRelated,
  });
  const isFiltered = given.every(({ column }) =>
    page.list.filters.some((filter) => filter.column === column && filter.way.by !== "presence"),
  );
  return {
    page,
    without: given.map(({ column }) => column),
    rows,
    more,
    all: isFiltered
      ? Object.fromEntries(given.map(({ column, value }) => [filterNames(column).is, filterText(value)]))
      : null,
    begins: mayMake(page, facts)
      ? Object.fromEntries(given.map(({ column, value }) => [`${withPrefix}${column.name}`, value]))
      : null,
  };
}

/** The records of other pages that refer to a record, as far as the actor may see them. */
export async function relatedLists(trip: Trip, row: Row): Promise<readonly RelatedList[]> {
  const pages = trip.dependencies.pages?.() ?? [];
  const lists = trip.page.related.map((related) => {
    const relation = relationOf(trip.page, related, pages);
    return relation ? relatedList(trip, relation, row) : null;
  });
  return (await Promise.all(lists)).filter((each) => each !== null);
}
