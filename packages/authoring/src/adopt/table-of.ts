import type { Table } from "@loyal-quill/core/table/model";
import { tablesWritten } from "./handler.js";
import { formsIn, type HtmlForm } from "./html-form.js";
import { flat, short } from "./match.js";
import { isTemplate, readTemplate } from "./template.js";

/** The controls that have a column of the table by their names. */
function named({ controls }: HtmlForm, { columns }: Table): number {
  const names = new Set(columns.flatMap(({ name }) => [flat(name), flat(short(name))]));
  const found = controls.filter(({ name, kind }) => kind !== "hidden" && name !== "" && names.has(flat(name)));
  return new Set(found.map(({ name }) => name)).size;
}

/** Whether an address speaks of a table: `/stations/MV-014/edit` of `network.station`. */
function isSpokenOf(addresses: readonly string[], { name }: Table): boolean {
  const own = flat(name);
  return addresses.some((address) =>
    address.split(/[/?&=#]/).some((part) => [own, `${own}s`, own.replace(/y$/, "ies")].includes(flat(part))),
  );
}

/**
 * The tables that a form may be for: those that its handler changes; else those with the most columns that are called like its controls, and of
 * these the ones that its address speaks of.
 *
 * @param address where it was asked for; null for a file
 * @param handler the code of its handler; null where that is not at hand
 * @returns one where it is clear, several where it is not, none where no control has a column's name
 */
export function tablesOfForm(
  tables: readonly Table[],
  {
    html,
    address,
    handler,
  }: { readonly html: string; readonly address: string | null; readonly handler: string | null },
): readonly Table[] {
  const forms = formsIn(isTemplate(html) ? readTemplate(html).html : html);
  const counted = tables.map((table) => ({ table, count: Math.max(0, ...forms.map((form) => named(form, table))) }));
  const most = (among: typeof counted): readonly Table[] => {
    const greatest = Math.max(1, ...among.map(({ count }) => count));
    return among.filter(({ count }) => count === greatest).map(({ table }) => table);
  };
  const written = (handler === null ? [] : tablesWritten(handler)).map((name) => name.toLowerCase());
  const isWritten = (table: Table): boolean =>
    written.includes(table.name.toLowerCase()) || written.includes(`${table.schema}.${table.name}`.toLowerCase());
  const changed = most(counted.filter(({ table }) => isWritten(table)));
  if (changed.length > 0) return changed;
  const best = most(counted);
  const addresses = [address ?? "", ...forms.map(({ action }) => action)];
  const spokenOf = best.filter((table) => isSpokenOf(addresses, table));
  return spokenOf.length > 0 ? spokenOf : best;
}
