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

/** Where a table stands in the parts of an address: `/stations/MV-014/edit` speaks of `network.station`. -1 where it doesn't. */
function placeIn(parts: readonly string[], { name }: Table): number {
  const own = flat(name);
  return parts.findIndex((part) => [own, `${own}s`, own.replace(/y$/, "ies")].includes(flat(part)));
}

const partsOf = (address: string): readonly string[] => address.split(/[/?&=#]/);

/** Whether an address speaks of a table. */
const isSpokenOf = (addresses: readonly string[], table: Table): boolean =>
  addresses.some((address) => placeIn(partsOf(address), table) >= 0);

/**
 * The key of the record that a form seems to show: by controls of the key's columns that can't be typed in, else by what comes after the table in its
 * address. A guess, for somebody to look at.
 *
 * @returns values by column; null where nothing says it
 */
export function keyOfForm({ keys: [key], ...table }: Table, html: string): Readonly<Record<string, string>> | null {
  if (!key || isTemplate(html)) return null;
  const forms = formsIn(html);
  const named = forms.map(({ controls }) =>
    key.columns.flatMap((name): [string, string][] => {
      const shown = controls.find(
        (each) => flat(each.name) === flat(name) && (each.kind === "hidden" || each.isReadOnly || each.isDisabled),
      );
      return shown?.value ? [[name, shown.value]] : [];
    }),
  );
  const whole = named.find((pairs) => pairs.length === key.columns.length);
  if (whole) return Object.fromEntries(whole);
  for (const { action } of forms) {
    const parts = partsOf(action);
    const place = placeIn(parts, { keys: [key], ...table });
    const values = place < 0 ? [] : parts.slice(place + 1, place + 1 + key.columns.length);
    if (values.length === key.columns.length && values.every((value) => /^[^\s{}:]+$/.test(value)))
      return Object.fromEntries(key.columns.map((name, index) => [name, decoded(values[index] ?? "")]));
  }
  return null;
}

function decoded(part: string): string {
  try {
    return decodeURIComponent(part);
  } catch {
    return part;
  }
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
