import { type DescribedSetting, type describedSettings, wordsOf } from "@loyal-quill/core";
import type { Difference } from "./differences.js";

/** The settings of page files, as the core describes them. */
export type DescribedSettings = ReturnType<typeof describedSettings>;

/** What a setting is called in the middle of a sentence; its name where there is none at the place. */
function called(settings: readonly DescribedSetting[], path: readonly string[]): string {
  const setting = settings.find((each) => each.path.join(" ") === path.join(" "));
  return setting ? wordsOf(setting) : path.join(" ");
}

/** A value in a few words: as a page file has it in one line. */
export function valueText(value: unknown): string {
  if (value === undefined) return "nothing";
  if (typeof value === "string") return `“${value}”`;
  if (Array.isArray(value)) return value.map(valueText).join(", ");
  if (typeof value !== "object" || value === null) return String(value);
  return Object.entries(value)
    .map(([name, each]) => `${name} ${valueText(each)}`)
    .join(", ");
}

/** Where a difference lies, in words: `label of warning_m`. */
export function placeInWords(path: Difference["path"], { page, field }: DescribedSettings): string {
  const [part, name, setting] = path.map(String);
  if (part === "fields") {
    if (name === undefined) return "order of the fields";
    return setting === undefined ? `field ${name}` : `${called(field, [setting])} of ${name}`;
  }
  if (part === "checks") return `check ${name}`;
  if (part === "set" && name !== undefined) return `what ${name} is set to`;
  if (part === "names" && name !== undefined) return `name of ${name} in the form`;
  return called(page, path.map(String));
}

/** A difference in words, as one line. */
export function differenceInWords({ path, before, after }: Difference, settings: DescribedSettings): string {
  const place = placeInWords(path, settings);
  const isPart = (path[0] === "fields" || path[0] === "checks") && path.length === 2;
  if (isPart && after === undefined) return `${place}: removed`;
  if (isPart && before === undefined)
    return `${place}: added${path[0] === "fields" && Object.keys(after as object).length > 0 ? `, ${valueText(after)}` : ""}`;
  if (before === undefined) return `${place}: ${valueText(after)}`;
  return after === undefined
    ? `${place}: no longer ${valueText(before)}`
    : `${place}: ${valueText(before)} becomes ${valueText(after)}`;
}
