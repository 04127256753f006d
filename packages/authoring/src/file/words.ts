import { type DescribedSetting, describedSettings, wordsOf } from "@loyal-quill/core";
import type { Difference } from "./differences.js";

/** What each setting of a page file is called in the middle of a sentence, by its place. */
const calledOf = (settings: readonly DescribedSetting[]): ReadonlyMap<string, string> =>
  new Map(settings.map((setting) => [setting.path.join(" "), wordsOf(setting)]));
const { page, field } = describedSettings();
const [ofPage, ofField] = [calledOf(page), calledOf(field)];

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
export function placeInWords(path: Difference["path"]): string {
  const [part, name, setting] = path.map(String);
  if (part === "fields") {
    if (name === undefined) return "order of the fields";
    return setting === undefined ? `field ${name}` : `${ofField.get(setting) ?? setting} of ${name}`;
  }
  if (part === "checks") return `check ${name}`;
  if (part === "set" && name !== undefined) return `what ${name} is set to`;
  if (part === "names" && name !== undefined) return `name of ${name} in the form`;
  return ofPage.get(path.join(" ")) ?? path.join(" ");
}

/** A difference in words, as one line. */
export function differenceInWords({ path, before, after }: Difference): string {
  const place = placeInWords(path);
  const isPart = (path[0] === "fields" || path[0] === "checks") && path.length === 2;
  if (isPart && after === undefined) return `${place}: taken off`;
  if (isPart && before === undefined)
    return `${place}: added${path[0] === "fields" && Object.keys(after as object).length > 0 ? `, ${valueText(after)}` : ""}`;
  if (before === undefined) return `${place}: ${valueText(after)}`;
  return after === undefined
    ? `${place}: no longer ${valueText(before)}`
    : `${place}: ${valueText(before)} becomes ${valueText(after)}`;
}
