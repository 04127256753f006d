import * as v from "valibot";
import { quoted } from "../postgres/statement.js";
import type { Column } from "../table/model.js";
import type { RuleKind } from "./rule.js";

/** Whether the table lets nothing stand for no value. An empty text is a value to it, and so is a list without entries; a trigger may fill in what is missing. */
export const isRequiredByTable = (
  { nullable, setByTrigger }: Column,
  control: string,
  empty?: "nothing" | "text",
): boolean => !(nullable || setByTrigger || control === "check-box" || control === "entries" || empty === "text");

/** A value has to be there, and not of white space alone. */
export const required: RuleKind<true, true> = {
  name: "required",
  label: "Required",
  inFile: {
    schema: v.literal(true),
    byName: true,
    first: true,
    parts: [],
    fits: "any",
    takes: "`true`",
    means: "There must be a value, and not white space alone.",
  },
  demandOf: (setting) => setting,
  ofTable: (_, column, control, empty) => (isRequiredByTable(column, control, empty) ? [true] : []),
  words: () => "required",
  judgesMissing: true,
  broken: (_, { value }) => (value === null || value.trim() === "" ? ["required", {}] : null),
  attributes: () => ({ "aria-required": "true" }),
  enforcement: (_, column) => {
    if (column.nullable) return { by: "not null" };
    if (column.type.kind !== "text") return null;
    return { by: "check", name: "not_blank", check: `btrim(${quoted(column.name)}) <> ''` };
  },
};
