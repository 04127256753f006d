import { referencedChoices } from "../bound/column-choices.js";
import { type Filter, filterWay } from "../bound/filters.js";
import { labelFrom } from "../bound/label.js";
import type { Setting } from "../setting.js";
import { names } from "../shapes.js";

export const filter: Setting<string[], readonly Filter[], "filters"> = {
  label: "Filter by",
  about:
    "The columns by which people can narrow the list: choices, yes and no, references, ranges of numbers and days, empty or not.",
  without: "none",
  step: "load",
  editor: { kind: "columns", add: "Add a filter", of: "table" },
  columns: [""],
  into: "filters",
  schema: () => names,
  bind: (given, binder, path) =>
    (given ?? []).flatMap((name, index) => {
      const { table, catalog, fields } = binder;
      const at = [...path, index];
      const column = binder.column(name, at);
      if (!column) return [];
      if (column.sensitive) {
        binder.error("sensitive", `${name} is sensitive: a filter would tell its values by what it finds.`, at);
        return [];
      }
      const field = fields.find((each) => each.column.name === name);
      const demand = table.demands.find((each) => each.by === "in" && each.column === name);
      const labels = column.type.kind === "enum" ? column.type.labels : (demand?.values ?? null);
      const own = field?.choices?.from === "table" ? field.choices : null;
      const referenced = referencedChoices(column, table, catalog.tables);
      // What a field restricts its choices to is for what is chosen anew; records keep what they have.
      const choices = own && referenced ? { ...own, where: referenced.where } : (own ?? referenced);
      const way = filterWay(column, labels, choices);
      if (way) return [{ column, label: field?.label ?? labelFrom(name), way }];
      binder.error(
        "no-filter",
        `A list can't be filtered by "${name}", a ${column.type.shown} that always has a value and no choices: search in it instead, by list.search.`,
        at,
      );
      return [];
    }),
};
