import { attributes, html, type Markup } from "../markup/markup.js";
import { word } from "../messages/messages.js";
import { type Filter, filterNames, filterText, withoutValue, withValue } from "../settings/bound/filters.js";
import type { FilterState, ListView } from "../views/list-view.js";

/** Whether a filter narrows the list. */
export const isUsed = ({ typed }: FilterState): boolean => typed.is !== "" || typed.from !== "" || typed.to !== "";

type Options = readonly (readonly [value: string, label: string])[];

const selectOf = (shared: Markup, options: Options, chosen: string): Markup =>
  html`<select${shared}>${options.map(([value, label]) => html`<option${attributes({ value, selected: value === chosen || null })}>${label}</option>`)}</select>`;

/** What can be chosen of a filter: null where a value is typed. */
function choicesOf({ page, offers }: ListView, { column, way }: Filter): Options | null {
  switch (way.by) {
    case "choice":
      return way.labels.map((label) => [filterText(label), label]);
    case "yes-no":
      return [
        ["true", word(page.language, "yes")],
        ["false", word(page.language, "no")],
      ];
    case "record":
      return offers.get(column.name)?.map(({ value, label }) => [filterText(value), label]) ?? null;
    case "presence":
      return [];
    case "value":
    case "range":
    case "days":
      return null;
  }
}

/** The controls of one filter, in a group of its own (HTML, 4.10.15). */
function filterField(view: ListView, state: FilterState, index: number): Markup {
  const { language } = view.page;
  const { filter, typed, problem } = state;
  const { column, label, way } = filter;
  const names = filterNames(column);
  const id = `filter-${index + 1}`;
  const wrong = { "aria-invalid": problem ? "true" : null, "aria-describedby": problem ? `${id}-problem` : null };
  const own = choicesOf(view, filter);
  const presence: Options = column.nullable
    ? [
        [withoutValue, word(language, "filter-empty")],
        [withValue, word(language, "filter-filled")],
      ]
    : [];
  const all: Options = [["", word(language, "filter-all")]];
  const said = problem && html`<p class="quill-problem" id="${id}-problem">${problem}</p>`;
  if (own) {
    const options = [...all, ...own, ...presence];
    // What an address asks for stays chosen, also what is no longer on offer.
    const known = options.some(([value]) => value === typed.is) ? options : [...options, [typed.is, typed.is] as const];
    const shared = attributes({ id, name: names.is, ...wrong });
    return html`<div class="quill-filter"><label for="${id}">${label}</label>${selectOf(shared, known, typed.is)}${said}</div>`;
  }
  const isPresence = typed.is === withoutValue || typed.is === withValue;
  const chooses =
    presence.length > 0 &&
    way.by !== "value" &&
    selectOf(
      attributes({ name: names.is, "aria-label": word(language, "filter-has", { label }) }),
      [...all, ...presence],
      isPresence ? typed.is : "",
    );
  if (way.by === "value") {
    const shared = attributes({ id, name: names.is, autocomplete: "off", ...wrong });
    return html`<div class="quill-filter"><label for="${id}">${label}</label><input${shared} value="${typed.is}">${said}</div>`;
  }
  const isDate = way.by === "days" || column.type.kind === "date";
  const bound = (which: "from" | "to"): Markup => {
    const value = typed[which];
    // A date control would leave out what is no date.
    const isWhole = value === "" || /^\d{4}-\d\d-\d\d$/.test(value);
    const shared = attributes({
      id: `${id}-${which}`,
      name: names[which],
      type: isDate && isWhole ? "date" : "text",
      class: isDate ? null : "quill-figure",
      inputmode: isDate ? null : "decimal",
      autocomplete: "off",
      ...wrong,
    });
    return html`<label for="${id}-${which}">${word(language, `filter-${which}`)}</label><input${shared} value="${value}">`;
  };
  return html`<fieldset class="quill-filter"><legend>${label}</legend>${bound("from")}${bound("to")}${chooses}${said}</fieldset>`;
}

/** The filters of a list, open where one is used. */
export function filtersBlock(view: ListView): Markup | null {
  const { filters, page } = view;
  if (filters.length === 0) return null;
  const used = filters.filter(isUsed).length;
  const name = used === 0 ? word(page.language, "filters") : word(page.language, "filters-used", { count: used });
  const fields = filters.map((state, index) => filterField(view, state, index));
  return html`<details class="quill-filters"${attributes({ open: used > 0 || null })}><summary>${name}</summary><div class="quill-filter-fields">${fields}<button>${word(page.language, "filter-apply")}</button></div></details>`;
}
