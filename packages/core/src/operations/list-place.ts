import type { Page } from "../page/page.js";
import type { Row, Stored } from "../postgres/statement.js";
import { orderColumns } from "../settings/bound/sorting.js";
import { keyPartName, type ListSort, sortName } from "../statements/list.js";
import { signerThatMade } from "../steps/token.js";
import type { Signer } from "../trip/signer.js";

/** A sorting as the address has it: `-warning_m` is downwards. */
export const sortText = ({ column, down }: ListSort): string => `${down ? "-" : ""}${column.name}`;

/** The order that an address asks for, where the list can be sorted so; the page's own otherwise. */
export function sortIn(page: Page, asked: string | undefined): ListSort {
  const down = asked?.startsWith("-") ?? false;
  const name = down ? asked?.slice(1) : asked;
  const found = page.list.columns.find(({ column, sortable }) => sortable && column.name === name);
  if (found) return { column: found.column, down };
  const { sort } = page.list;
  return name === sort.column.name ? { column: sort.column, down } : sort;
}

/** The columns by which a list can be sorted. */
export const sortNames = ({ list }: Page): readonly string[] => [
  ...new Set([
    list.sort.column.name,
    ...list.columns.flatMap(({ column, sortable }) => (sortable ? [column.name] : [])),
  ]),
];

/** What tells a row's place in an order: the values of the order's columns. */
export function placeOf(page: Page, sort: ListSort, row: Row): readonly Stored[] {
  const keyParts = new Map(page.key.map((column, index) => [column.name, row[keyPartName(index)] ?? null]));
  return orderColumns(sort.column, page.key).map((column, index) =>
    index === 0 ? (row[sortName] ?? null) : (keyParts.get(column.name) ?? null),
  );
}

const signedText = (page: Page, sort: ListSort, json: string): string => `place ${page.name} ${sortText(sort)} ${json}`;

/** A place as an address carries it: signed, so that only values that were read here come back as such. */
export function writePlace(page: Page, sort: ListSort, row: Row, signer: Signer): string {
  const json = JSON.stringify(placeOf(page, sort, row));
  return `${signer.sign(signedText(page, sort, json))}.${json}`;
}

/** The place that an address carries, if it was written here for this order of this page. */
export function readPlace(
  page: Page,
  sort: ListSort,
  text: string | undefined,
  signer: Signer,
): readonly Stored[] | null {
  const dot = text?.indexOf(".") ?? -1;
  if (text === undefined || dot < 0) return null;
  const json = text.slice(dot + 1);
  return signerThatMade(signer, text.slice(0, dot), signedText(page, sort, json))
    ? (JSON.parse(json) as readonly Stored[])
    : null;
}
