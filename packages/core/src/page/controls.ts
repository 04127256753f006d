import type { Column } from "../table/model.js";
import type { Choices, Control } from "./page.js";

/** The controls that can show a column's values, the plain texts among the first. */
export function controlsFor(column: Column, choices: Choices | null): readonly Control[] {
  const { kind } = column.type;
  const possible: Control[] = ["text", "multi-line"];
  if (choices) possible.unshift("choice");
  if (kind === "boolean" && !column.nullable) possible.unshift("check-box");
  if (kind === "integer" || kind === "decimal" || kind === "float") possible.push("number");
  if (kind === "date") possible.push("date");
  if (kind === "timestamp" || kind === "timestamptz") possible.push("date-time");
  return possible;
}
