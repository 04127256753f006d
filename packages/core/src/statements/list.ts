import type { Facts } from "../condition/facts.js";
import { predicate } from "../condition/to-sql.js";
import { editableFields, loadedColumns } from "../page/columns.js";
import type { Page } from "../page/page.js";
import { rowPage } from "../page/rows.js";
import { keyPredicate } from "../postgres/key-predicate.js";
import { Parameters, quoted, quotedTable, type Row, type Statement, type Stored } from "../postgres/statement.js";
import { textForm } from "../postgres/text-form.js";
import { orderColumns, smallTable } from "../settings/bound/sorting.js";
import type { Column } from "../table/model.js";
import { labelOf } from "./find-choices.js";
import { type FilterTerm, filterPredicate } from "./list-filters.js";
import { versionName } from "./load.js";
import type { OfRecord } from "./of-record.js";
import { containing, toldText } from "./search.js";

/** The name under which a part of a row's key travels, by its place: a column's own name may be as long as a name can be. */
export const keyPartName = (index: number): string => `quill:key ${index}`;

/** The name under which travels whether a row meets the page's `edit` condition, where it has one. */
export const editableName = "quill:editable";

/** The name under which travels what a row is sorted by. */
export const sortName = "quill:sort";

/** The name under which travels how many records there are, where that was asked for. */
export const countName = "quill:count";

/** The name under which a column that a row's form needs travels, by its place among those. */
export const rawName = (index: number): string => `quill:raw ${index}`;

/** The name under which travels the value of a column whose label is shown in its place, by the column's place in the list. */
export const referenceName = (index: number): string => `quill:reference ${index}`;

/** Whether there is anything to change on the form of a list's row: a field that is taken, and a state that allows it. */
export const isEditableRow = (page: Page, row: Row): boolean =>
  !page.stopped.includes("edit") &&
  editableFields(page).length > 0 &&
  (page.access.edit === null || row[editableName] === "true");

/** At most so many records are counted. */
export const mostCounted = smallTable;

/** Records on one page of a list. */
export const listLength = 50;

/** The order of a list. */
export interface ListSort {
  readonly column: Column;
  readonly down: boolean;
}

/**
 * A stretch of a list's order: the rows that have a value to be sorted by, or those that have none, beyond one row or from the
 * stretch's beginning; forward, or backward from its end.
 */
export interface Stretch {
  readonly withValue: boolean;
  readonly backward: boolean;
  /** The values of the order's columns in the row beyond which it begins. */
  readonly beyond: readonly Stored[] | null;
  /** The same of the row that it ends with; it goes to the stretch's end where it is left out or null. */
  readonly until?: readonly Stored[] | null;
}

/** What is asked of a list: the words that are looked for, and its order. */
export interface ListQuestion {
  readonly search: string;
  /** Words of the search that no index is to be asked for (see `search.ts`). */
  readonly common?: readonly string[];
  /** Whether the search is to be a value in full of one of {@link exactColumns}, and not a part of any. */
  readonly exact?: true;
  readonly filters: readonly FilterTerm[];
  readonly sort: ListSort;
}

/**
 * The stretches of a list in the order in which it goes through them. PostgreSQL puts nulls last, and first where it sorts downwards
 * (documentation, 7.5).
 */
export const stretchesOf = ({ column, down }: ListSort, backward: boolean): readonly boolean[] =>
  !column.nullable ? [true] : down !== backward ? [false, true] : [true, false];

/** The rows beyond one, or up to it, as a comparison of rows: an index that keeps the order leads to the place (documentation, 9.24.5). */
function beyondRow(
  columns: readonly Column[],
  values: readonly Stored[],
  by: ">" | "<" | ">=" | "<=",
  parameters: Parameters,
): string {
  const theirs = columns.map((column) => `t.${quoted(column.name)}`);
  const given = columns.map((column, index) => parameters.add(values[index] ?? null, column.type.cast));
  return `(${theirs.join(", ")}) ${by} (${given.join(", ")})`;
}

/** What a list selects, from where, and which rows of it the actor sees. */
interface ListParts {
  readonly columns: readonly string[];
  readonly from: readonly string[];
  readonly seen: readonly string[];
}

function partsOf(page: Page, facts: Facts, question: ListQuestion, parameters: Parameters): ListParts {
  const { search, common, exact, filters } = question;
  const columns: string[] = [];
  const joins: string[] = [];
  const searched: string[] = [];
  for (const [index, each] of page.list.columns.entries()) {
    let shown = textForm("t", each.column);
    let told = (): string => toldText(page, "t", each.column, parameters);
    if (each.choices) {
      const alias = `r${index}`;
      joins.push(
        `LEFT JOIN ${quotedTable(each.choices.table)} AS ${alias} ON ${alias}.${quoted(each.choices.key.name)} = t.${quoted(each.column.name)}`,
      );
      const label = labelOf(each.choices, alias);
      columns.push(`${shown} AS ${quoted(referenceName(index))}`);
      shown = label;
      told = () => label;
    }
    columns.push(`${shown} AS ${quoted(each.column.name)}`);
    const isSearched = page.list.search === null || page.list.search.includes(each.column);
    if (search !== "" && isSearched && !each.column.sensitive) searched.push(told());
  }
  // What a search looks into need not be shown.
  const unshown = page.list.search?.filter((column) => page.list.columns.every((each) => each.column !== column)) ?? [];
  if (search !== "") searched.push(...unshown.map((column) => toldText(page, "t", column, parameters)));
  const seen: string[] = [];
  if (page.access.rows) seen.push(predicate(page.access.rows, parameters, facts, "t"));
  for (const term of filters) seen.push(filterPredicate(term, "t", parameters));
  if (exact) {
    const tests = exactColumns(page, search).map(
      (column) => `t.${quoted(column.name)} = ${parameters.add(search, column.type.cast)}`,
    );
    seen.push(`(${tests.join(" OR ")})`);
  } else if (search !== "") seen.push(containing(searched, search, parameters, common));
  return { columns, from: [`FROM ${quotedTable(page.table)} AS t`, ...joins], seen };
}

const whereOf = (parts: readonly string[]): string[] => (parts.length > 0 ? [`WHERE ${parts.join(" AND ")}`] : []);

const orderBy = (columns: readonly Column[], down: boolean): string =>
  `ORDER BY ${columns.map((column) => `t.${quoted(column.name)}${down ? " DESC" : ""}`).join(", ")}`;

/** A plan for any words or values would go along the order and read the whole table for what is rare. */
const planned = (statement: Statement, { search, filters }: ListQuestion): Statement =>
  search === "" && filters.length === 0 ? statement : { ...statement, plannedAnew: true };

/** A stretch of the order as conditions over the row `t`, and the order itself. */
function stretchSql(
  { key }: Page,
  sort: ListSort,
  { withValue, backward, beyond, until }: Stretch,
  parameters: Parameters,
): { readonly within: readonly string[]; readonly order: string } {
  const within: string[] = [];
  if (sort.column.nullable) within.push(`t.${quoted(sort.column.name)} IS ${withValue ? "NOT " : ""}NULL`);
  const order = orderColumns(sort.column, key);
  const telling = withValue ? order : order.slice(1);
  const isDown = sort.down !== backward;
  const valuesOf = (values: readonly Stored[]): readonly Stored[] => (withValue ? values : values.slice(1));
  if (beyond) within.push(beyondRow(telling, valuesOf(beyond), isDown ? "<" : ">", parameters));
  if (until) within.push(beyondRow(telling, valuesOf(until), isDown ? ">=" : "<=", parameters));
  return { within, order: orderBy(telling, isDown) };
}

/** What tells a row's place in an order, under the names of {@link placeStatement}. */
const placeColumns = (page: Page, sort: ListSort): readonly string[] => [
  ...page.key.map((column, index) => `${textForm("t", column)} AS ${quoted(keyPartName(index))}`),
  `${textForm("t", sort.column)} AS ${quoted(sortName)}`,
];

/** The place of the row that stands so many rows further on in the order, whoever may see it; none where there are not so many. */
export function boundaryStatement(page: Page, sort: ListSort, stretch: Stretch, rows: number): Statement {
  const parameters = new Parameters();
  const { within, order } = stretchSql(page, sort, stretch, parameters);
  const lines = [
    `SELECT ${placeColumns(page, sort).join(", ")}`,
    `FROM ${quotedTable(page.table)} AS t`,
    ...whereOf(within),
    order,
    `OFFSET ${rows - 1} LIMIT 1`,
  ];
  return { purpose: "how far to look", text: lines.join("\n"), values: parameters.values };
}

/** Whether a text can be a value of a column that is asked for as it stands. */
const canBe = ({ type }: Column, text: string): boolean => {
  if (type.kind === "text") return type.maxLength === null || text.length <= type.maxLength;
  if (type.kind === "uuid") return /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i.test(text);
  return type.kind === "integer" && /^\d{1,9}$/.test(text);
};

/** The columns that are searched, have an index that begins with them, and may hold a text as their value, in full. */
export function exactColumns({ table, list }: Page, text: string): readonly Column[] {
  const searched = list.search ?? list.columns.map(({ column }) => column);
  const isFirst = (column: Column): boolean => table.indexes.some(([first]) => first === column.name);
  return searched.filter((column) => !column.sensitive && isFirst(column) && canBe(column, text));
}

interface ListOptions {
  /** How many are wanted; one more is asked for, to know whether there is another. */
  readonly most?: number;
  /** Whether all that are seen and found are to be counted as well. */
  readonly counts?: boolean;
}

/** A stretch of the records that the actor may see. */
export function listStatement(
  { page, facts }: Pick<OfRecord, "page" | "facts">,
  question: ListQuestion,
  stretch: Stretch,
  { most = listLength, counts = false }: ListOptions = {},
): Statement {
  const { sort } = question;
  const parameters = new Parameters();
  const own = placeColumns(page, sort);
  const { columns: listed, from, seen } = partsOf(page, facts, question, parameters);
  const columns = [...own, ...listed];
  if (page.access.edit)
    columns.push(`((${predicate(page.access.edit, parameters, facts, "t")}) IS TRUE)::text AS ${quoted(editableName)}`);
  if (page.list.edit.length > 0) {
    for (const [index, column] of loadedColumns(rowPage(page)).entries())
      columns.push(`${textForm("t", column)} AS ${quoted(rawName(index))}`);
    columns.push(`t.xmin::text AS ${quoted(versionName)}`);
  }
  if (counts) {
    const counted = ["SELECT", ...from, ...whereOf(seen), `LIMIT ${mostCounted + 1}`].join(" ");
    columns.push(`(SELECT count(*) FROM (${counted}) AS c)::text AS ${quoted(countName)}`);
  }
  const { within, order } = stretchSql(page, sort, stretch, parameters);
  const lines = [`SELECT ${columns.join(", ")}`, ...from, ...whereOf([...seen, ...within]), order, `LIMIT ${most + 1}`];
  return planned({ purpose: "list", text: lines.join("\n"), values: parameters.values }, question);
}

/** The place of one record in a list's order, as a list's rows tell theirs; none where the actor does not see it. */
export function placeStatement(page: Page, key: readonly string[], facts: Facts, sort: ListSort): Statement {
  const parameters = new Parameters();
  const columns = placeColumns(page, sort);
  const where = [keyPredicate(page.key, key, parameters, "t")];
  if (page.access.rows) where.push(predicate(page.access.rows, parameters, facts, "t"));
  return {
    purpose: "place in the list",
    text: `SELECT ${columns.join(", ")}\nFROM ${quotedTable(page.table)} AS t\nWHERE ${where.join(" AND ")}`,
    values: parameters.values,
  };
}

/** The cursor by which a list is read as a whole. */
const cursorName = quoted("quill_list");

/** Opens a cursor over all that a list shows, in its order (PostgreSQL documentation, DECLARE): it ends with its transaction. */
export function openListStatement(page: Page, facts: Facts, question: ListQuestion): Statement {
  const parameters = new Parameters();
  const { columns, from, seen } = partsOf(page, facts, question, parameters);
  const { column, down } = question.sort;
  const order = orderBy(orderColumns(column, page.key), down);
  const lines = [`SELECT ${columns.join(", ")}`, ...from, ...whereOf(seen), order];
  return {
    purpose: "list as a whole",
    text: `DECLARE ${cursorName} NO SCROLL CURSOR FOR\n${lines.join("\n")}`,
    values: parameters.values,
    plannedAnew: true,
  };
}

/** The next rows of the cursor. */
export const readListStatement = (most: number): Statement => ({
  purpose: "rows of the list",
  text: `FETCH ${most} FROM ${cursorName}`,
  values: [],
});

/** How many records are offered to choose from. */
const mostRecords = 20;

/**
 * Records to choose from in the workbench: key and title, by key, whose key and title contain every word of a search. Asked for by builders
 * only, so without the page's conditions.
 */
export function recordsStatement(page: Page, search: string): Statement {
  const parameters = new Parameters();
  const names = [...new Set([...page.key.map((column) => column.name), ...page.title.columns])];
  const columns = names.map((name) => `t.${quoted(name)}::text AS ${quoted(name)}`);
  const texts = names.map((name) => `t.${quoted(name)}::text`);
  const where = search.trim() === "" ? "" : `\nWHERE ${containing(texts, search, parameters)}`;
  const order = page.key.map((column) => `t.${quoted(column.name)}`).join(", ");
  return {
    purpose: "choose a record",
    text: `SELECT ${columns.join(", ")}\nFROM ${quotedTable(page.table)} AS t${where}\nORDER BY ${order}\nLIMIT ${mostRecords}`,
    values: parameters.values,
    plannedAnew: true,
  };
}
