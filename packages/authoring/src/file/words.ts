import type { Difference } from "./differences.js";

/** What stands in a page file, in words. */
const parts: Readonly<Record<string, string>> = {
  title: "title",
  plural: "list title",
  description: "description",
  path: "address",
  language: "language",
  "time-zone": "time zone",
  "access open": "who may open it",
  "access rows": "which records",
  "access edit": "while it may be edited",
  "access new": "who may make new records",
  "access delete": "which may be deleted",
  "access because": "why it can't be edited",
  "record table": "table",
  "record key": "key",
  "record key-editable": "whether the key may be edited",
  "list columns": "columns of the list",
  "list sort": "order of the list",
  "list search": "columns that a search looks into",
  "list filter": "filters of the list",
  "list edit": "fields edited in rows",
  "list together": "whether rows are saved together",
  "list form": "where the form stands",
  related: "related pages",
  "access history": "who can see changes",
  "save reason": "when a reason is asked for",
  "answer to": "address after a save",
  "save routine": "routine that saves",
  "save parameters": "parameters of the routine",
  "answer saved": "where a save leads",
  "answer message": "message after a save",
};

const settings: Readonly<Record<string, string>> = {
  when: "when it is on the form",
  "read-only": "whether it is shown only",
  show: "what is shown of the other table",
  empty: "what it stores when left empty",
  tidy: "tidying",
  hint: "example in the empty field",
  default: "default on a new form",
};

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
    return setting === undefined ? `field ${name}` : `${settings[setting] ?? setting} of ${name}`;
  }
  if (part === "checks") return `check ${name}`;
  if (part === "set" && name !== undefined) return `what ${name} is set to`;
  if (part === "names" && name !== undefined) return `name of ${name} in the form`;
  return parts[path.join(" ")] ?? path.join(" ");
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
