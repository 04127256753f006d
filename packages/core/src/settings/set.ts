import * as v from "valibot";
import type { ValueExpression } from "../condition/expression.js";
import type { Path } from "../findings/path-in-file.js";
import { type Column, columnOf } from "../table/model.js";
import { recordOf } from "../values/record-of.js";
import type { PageContext } from "./context.js";
import type { Setting } from "./setting.js";
import { condition } from "./shapes.js";

const ons = ["new", "save", "both"] as const;
type On = (typeof ons)[number];
type SetGiven = string | { to: string; on?: On | undefined };

/** A column whose value is given by the page: never on a form, never taken from one. */
export interface SetColumn {
  readonly column: Column;
  readonly value: ValueExpression;
  /** On which writes: of a new record, of a change, or both. */
  readonly on: On;
}

const partsOf = (given: SetGiven): { readonly to: string; readonly on: On } =>
  typeof given === "string" ? { to: given, on: "both" } : { to: given.to, on: given.on ?? "both" };

/** Whether the page gives a column's value by itself on such a write. */
export function isSet({ given: inFile }: PageContext, name: string, write: "new" | "save"): boolean {
  const set = (inFile("set") ?? {}) as Readonly<Record<string, SetGiven>>;
  const given = Object.hasOwn(set, name) ? set[name] : undefined;
  if (given === undefined) return false;
  const { on } = partsOf(given);
  return on === "both" || on === write;
}

function setColumn(name: string, given: SetGiven, binder: PageContext, path: Path): readonly SetColumn[] {
  const column = binder.column(name, path, true);
  if (!column) return [];
  const { to, on } = partsOf(given);
  const refuse = (message: string): [] => {
    binder.error("set", message, path, { key: true });
    return [];
  };
  if (column.written === "always") return refuse(`${name} is always given by the table: it can't be set.`);
  if (binder.isKey(column)) return refuse(`${name} is part of the key: it can't be set by itself.`);
  if (binder.given("save", "routine") !== undefined && on !== "new")
    return refuse("A routine saves for this page: give it the value as a parameter, or set it on new only.");
  // What a connection may do is no fact of the file.
  if (on !== "new" && !column.granted.update)
    binder.warning(
      "not-granted",
      `This connection may not update ${name}, so no record is saved: grant UPDATE, or set it on new only.`,
      path,
      { stops: "edit" },
    );
  if (on !== "save" && binder.given("access", "new") && !column.granted.insert)
    binder.warning(
      "not-granted",
      `This connection may not insert ${name}, so no new record is made: grant INSERT, or set it on save only.`,
      path,
      { stops: "new" },
    );
  const place = typeof given === "string" ? path : [...path, "to"];
  const value = binder.value(to, column, place, true);
  for (const name of value?.formColumns ?? [])
    if (columnOf(binder.table, name)?.sensitive && !column.sensitive)
      binder.error("sensitive", `${name} is sensitive: ${column.name} would tell of it.`, place);
  return value ? [{ column, value, on }] : [];
}

export const set: Setting<Record<string, SetGiven>, readonly SetColumn[], "sets"> = {
  label: "Set by the page",
  about:
    "Columns that the page gives by itself, from who saves, the moment and what the form comes to: never taken from a form.",
  details: "See [the page file](page-file.md#values-that-the-page-gives).",
  without: "none",
  step: "write",
  editor: { kind: "own" },
  columns: [""],
  into: "sets",
  schema: () =>
    recordOf(v.string(), v.union([condition, v.strictObject({ to: condition, on: v.optional(v.picklist(ons)) })])),
  bind: (given = {}, binder, path) =>
    Object.entries(given).flatMap(([name, each]) => setColumn(name, each, binder, [...path, name])),
};
