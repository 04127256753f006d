import Big from "big.js";
import type { Choices } from "./sql.js";

/** A record as it is stored: each value as PostgreSQL prints it. Its version is another one as soon as anybody changes the row. */
export interface Station {
  readonly code: string;
  readonly name: string;
  readonly river_id: string;
  readonly region_id: string;
  readonly grid_reference: string;
  readonly status: string;
  readonly alert_m: string;
  readonly warning_m: string;
  readonly telemetry: string;
  readonly installed_on: string | null;
  readonly notes: string | null;
  readonly version: string;
}

/** The same as it may be typed: any value can be missing. */
export type Values = { readonly [Name in keyof Station]: string | null };

/** What the form takes, in its order, and what it is called. */
export const labels = {
  name: "Station name",
  river_id: "River",
  region_id: "Region",
  grid_reference: "Grid reference",
  status: "Status",
  alert_m: "Alert level",
  warning_m: "Warning level",
  telemetry: "Reports by telemetry",
  installed_on: "Installed on",
  notes: "Notes",
};
export type Field = keyof typeof labels;
export const fields = Object.keys(labels) as readonly Field[];
export type Texts = Readonly<Record<Field, string>>;
export type Changes = Partial<Record<Field, string | null>>;

/** What the controls show of a record. */
export const textsOf = (station: Values): Texts =>
  Object.fromEntries(fields.map((field) => [field, station[field] ?? ""])) as Texts;

/** Something wrong with what was sent: at a field, or above the form. */
export interface Problem {
  readonly field: Field | null;
  readonly message: string;
}

/** A typed text as a value of its column, undefined where it is none, and what is wrong with it. */
type Read = { readonly value: string | null | undefined; readonly message: string | null };
const nothing: Read = { value: null, message: null };
const right = (value: string): Read => ({ value, message: null });
const wrong = (message: string): Read => ({ value: undefined, message });

/** A field that has to be filled in. */
const needed = (read: Read, label: string): Read =>
  read.message === null && !read.value?.trim() ? { value: null, message: `${label} is needed: enter a value.` } : read;

/** A text of so many characters at most; an empty one is no value. */
function text(value: string, label: string, most: number): Read {
  const length = lengthOf(value);
  if (length > most) return { value, message: `${label} has ${length} characters; at most ${most} fit.` };
  return length === 0 ? nothing : right(value);
}

/** One of the choices, which are judged together below. */
const choice = (value: string): Read => (value === "" ? nothing : right(value));

function among(value: string, values: readonly string[], message: string): Read {
  if (value === "") return nothing;
  return values.includes(value) ? right(value) : wrong(message);
}

/** An exact number as PostgreSQL prints it, with so many digits after the point. */
function decimal(typed: string, label: string, digits: number, least: string, most: string): Read {
  if (typed === "") return nothing;
  const number = ungrouped(typed.trim());
  if (number.includes(",")) return wrong(`${label} must be written with a point, like 12.50, not with a comma.`);
  if (!/^[+-]?(\d{1,1000}(\.\d{0,1000})?|\.\d{1,1000})(e[+-]?\d{1,3})?$/i.test(number))
    return wrong(`${label} must be a number, like 12.50.`);
  const exact = new Big(number.replace("+", "").replace(/\.(?=$|e)/i, ""));
  const fits = exact.round(digits).eq(exact);
  const value = exact.toFixed(fits ? digits : undefined).replace(/^-(0(\.0*)?)$/, "$1");
  if (exact.lt(least)) return { value, message: `${label} is below ${least}: enter ${least} or more.` };
  if (exact.gt(most)) return { value, message: `${label} is above ${most}: enter ${most} or less.` };
  if (!fits)
    return { value, message: `${label} has more than ${digits} digits after the point: round it to ${digits}.` };
  return right(value);
}

function day(typed: string, label: string): Read {
  if (typed === "") return nothing;
  const value = typed.trim();
  if (!/^\d{4}-\d\d-\d\d$/.test(value)) return wrong(`${label} must be a date, written like 2026-03-31.`);
  const date = new Date(`${value}T00:00:00Z`);
  const isThere = !Number.isNaN(date.getTime()) && date.toISOString().startsWith(value) && !value.startsWith("0000");
  return isThere ? right(value) : wrong(`${label} is a day or time that the calendar does not have.`);
}

/** Every run of white space as one space; line breaks stay. */
const singleSpaces = (typed: string): string => typed.replaceAll(/[^\S\n]+/g, " ");

/** The number of characters: what PostgreSQL counts, not UTF-16's units. */
const lengthOf = (value: string): number => [...value].length;

/** A number without the commas between its thousands, where it leaves no doubt that they are such. */
const ungrouped = (typed: string): string =>
  /^[+-]?\d{1,3}(?:(?:,\d{3}){2,}(?:\.\d*)?|,\d{3}\.\d*)$/.test(typed) ? typed.replaceAll(",", "") : typed;

/** What is done to a typed text before it is read. */
const tidied: Partial<Record<Field, (typed: string) => string>> = {
  name: (typed) => singleSpaces(typed.trim()),
  grid_reference: (typed) => singleSpaces(typed.trim()).toUpperCase(),
};

const readers: Readonly<Record<Field, (typed: string, label: string) => Read>> = {
  name: (typed, label) => needed(text(typed, label, 60), label),
  river_id: (typed, label) => needed(choice(typed), label),
  region_id: (typed, label) => needed(choice(typed), label),
  grid_reference: (typed, label) => needed(text(typed, label, 12), label),
  status: (typed, label) =>
    needed(
      among(typed, ["planned", "live", "suspended", "retired"], `${label} must be one of the choices offered.`),
      label,
    ),
  alert_m: (typed, label) => needed(decimal(typed, label, 2, "0.01", "999.99"), label),
  warning_m: (typed, label) => needed(decimal(typed, label, 2, "-999.99", "999.99"), label),
  telemetry: (typed, label) => among(typed, ["true", "false"], `${label} must be yes or no.`),
  installed_on: (typed, label) => day(typed, label),
  notes: (typed, label) => text(typed, label, 2000),
};

/** A form that was sent: the texts in its controls, what it would change, and what is wrong with it. */
export type Form = { readonly texts: Partial<Texts>; readonly changes: Changes; readonly problems: readonly Problem[] };

/** Takes the form's own fields and nothing else. What is sent as it was shown is no change, whatever way it went through the browser. */
export function readForm(
  body: Readonly<Record<string, string>>,
  shown: Texts,
  station: Station,
  choices: Choices,
): Form {
  const texts: Partial<Record<Field, string>> = {};
  const changes: Changes = {};
  const problems: Problem[] = [];
  for (const field of fields) {
    const raw = body[field] ?? body[`${field}.box`];
    if (raw === undefined) continue;
    const typed = raw.replaceAll(/\r\n?/g, "\n");
    const text = typed === shown[field] ? typed : (tidied[field]?.(typed) ?? typed);
    texts[field] = text;
    if (text === shown[field]) continue;
    const { value, message } = text.includes("\0")
      ? wrong(`${labels[field]} holds a character that can't be stored (U+0000): remove it.`)
      : readers[field](text, labels[field]);
    if (value !== undefined && textsOf({ ...station, [field]: value })[field] === shown[field]) continue;
    changes[field] = value ?? null;
    if (message !== null) problems.push({ field, message });
  }
  /** What the record would come to. */
  const form: Values = { ...station, ...changes };
  const changed = (...names: readonly Field[]): boolean => names.some((name) => name in changes);
  const isRight = (name: Field): boolean => problems.every(({ field }) => field !== name);
  // form.warning_m > form.alert_m
  if (
    changed("warning_m", "alert_m") &&
    form.warning_m !== null &&
    form.alert_m !== null &&
    new Big(form.warning_m).lte(form.alert_m)
  )
    problems.push({ field: "warning_m", message: "The warning level must lie above the alert level." });
  // In the order of the form; what concerns no field last.
  const placeOf = ({ field }: Problem): number => (field === null ? fields.length : fields.indexOf(field as Field));
  problems.sort((a, b) => placeOf(a) - placeOf(b));
  for (const field of ["river_id", "region_id"] as const)
    if (
      isRight(field) &&
      changed(field) &&
      form[field] !== null &&
      !choices[field].some(({ value }) => value === form[field])
    )
      problems.push({ field, message: `${labels[field]} names a record that does not exist: choose another.` });
  return { texts, changes, problems };
}
