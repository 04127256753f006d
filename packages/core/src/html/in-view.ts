import { html, type Markup } from "../markup/markup.js";
import { withPrefix } from "../page/names.js";
import { filterNames } from "../settings/bound/filters.js";
import type { FormView } from "../views/form-view.js";
import type { Frame } from "../views/frame.js";
import type { ListView } from "../views/list-view.js";
import { formPart } from "./form.js";
import { relatedPart } from "./record.js";

/** A form as a part of a view of the application's own: what is said of it, and the form. */
export function formInView(view: FormView, given: Frame): Markup {
  const { above, form } = formPart(view, { ...given, language: view.page.language });
  return html`${above}${form}`;
}

/**
 * A list as a part of a view: its first records, with the ways to all of them and to a new one that begins with what it is narrowed to.
 *
 * @param kept what goes along to a record and back
 */
export function listInView(view: ListView, given: Frame, kept: Readonly<Record<string, string>>): Markup {
  const { page, rows, filters, next, makes } = view;
  const narrowed = filters.flatMap(({ filter, typed }) => (typed.is ? [[filter.column, typed.is] as const] : []));
  const begins = Object.fromEntries(narrowed.map(([{ name }, value]) => [`${withPrefix}${name}`, value]));
  const all = Object.fromEntries(narrowed.map(([column, value]) => [filterNames(column).is, value]));
  const without = narrowed.map(([column]) => column);
  return relatedPart(
    { page, rows, without, more: next !== null, all, begins: makes ? { ...begins, ...kept } : null, kept },
    { ...given, language: page.language },
  );
}
