import Big from "big.js";
import { Temporal } from "temporal-polyfill";
import type { Files, SentFile } from "../shared/files.js";
import type { Choices } from "./sql.js";

/** A record as it is stored: each value as PostgreSQL prints it. Its version is another one as soon as anybody changes the row. */
export interface Visit {
  readonly id: string;
  readonly station_code: string;
  readonly visitor_id: string;
  readonly visited_at: string;
  readonly level_read_m: string | null;
  readonly findings: string | null;
  readonly follow_up_on: string | null;
  readonly recorded_by: string | null;
  readonly recorded_at: string | null;
  readonly photo: string | null;
  readonly version: string;
}

/** The same as it may be typed: any value can be missing. */
export type Values = { readonly [Name in keyof Visit]: string | null };

/** What the form takes, in its order, and what it is called. */
export const labels = {
  station_code: "Station",
  visitor_id: "Visitor",
  visited_at: "Visited at",
  level_read_m: "Level read",
  findings: "Findings",
  follow_up_on: "Follow up on",
  photo: "Photo",
};
export type Field = keyof typeof labels;
export const fields = Object.keys(labels) as readonly Field[];
export type Texts = Readonly<Record<Field, string>>;
export type Changes = Partial<Record<Field, string | null>>;

/** Those that are files. What stands for one in a record is its SHA-256 and its size: `sha256:HEX:BYTES`. */
export type FileField = "photo";
const isFile = (field: string): field is FileField => field === "photo";
/** What is wrong with a file; with none where it was taken away. */
const fileRules: Readonly<Record<FileField, (file: SentFile | undefined) => string | false | undefined>> = {
  photo: (file) =>
    (file && file.content.length > 2000000 && "Photo is too large: at most 2000 kB.") ||
    (file &&
      !(file.type === "image/jpeg" || file.type === "image/png") &&
      "Photo must be a file of one of these types: image/jpeg, image/png."),
};

/** What the controls show of a record, and what stands for its files. */
export const textsOf = (visit: Values): Texts => ({
  ...(Object.fromEntries(fields.map((field) => [field, visit[field] ?? ""])) as Texts),
  visited_at: visit.visited_at === null ? "" : controlTime(localTime(visit.visited_at)),
});

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

/** A moment, typed as a day and time of Europe/London or with an offset of its own; stored in UTC. */
function moment(typed: string, label: string): Read {
  if (typed === "") return nothing;
  const [, day, time, offset] =
    /^(\d{4}-\d\d-\d\d)[T ](\d\d:\d\d(?::\d\d(?:\.\d{1,6})?)?) ?(Z|[+-]\d\d(?::?\d\d)?)?$/.exec(typed.trim()) ?? [];
  if (day === undefined) return wrong(`${label} must be a date and time, written like 2026-03-31 14:30.`);
  let local: Temporal.PlainDateTime;
  try {
    local = Temporal.PlainDateTime.from(`${day}T${time}`, { overflow: "reject" });
    if (local.year === 0) return wrong(`${label} is a day or time that the calendar does not have.`);
  } catch {
    return wrong(`${label} is a day or time that the calendar does not have.`);
  }
  const own = offset === "Z" ? "UTC" : offset && `${offset.slice(0, 3)}:${offset.replace(":", "").slice(3) || "00"}`;
  try {
    const zoned = local.toZonedDateTime(own ?? zone, { disambiguation: "reject" });
    return { value: `${printed(zoned.withTimeZone("UTC").toPlainDateTime())}+00`, message: null };
  } catch {
    return wrong(
      own === undefined
        ? `${label} falls into the hour in which the clocks change: add the offset, like 2026-10-25 01:30+01:00.`
        : `${label} must be a date and time, written like 2026-03-31 14:30.`,
    );
  }
}

/** The number of characters: what PostgreSQL counts, not UTF-16's units. */
const lengthOf = (value: string): number => [...value].length;

/** A number without the commas between its thousands, where it leaves no doubt that they are such. */
const ungrouped = (typed: string): string =>
  /^[+-]?\d{1,3}(?:(?:,\d{3}){2,}(?:\.\d*)?|,\d{3}\.\d*)$/.test(typed) ? typed.replaceAll(",", "") : typed;

const zone = "Europe/London";

/** A stored moment as a day and time of Europe/London; in the hour that comes twice, with its offset. */
export function localTime(stored: string): string {
  const zoned = Temporal.Instant.from(stored.replace(" ", "T").replace("+00", "Z")).toZonedDateTimeISO(zone);
  const local = zoned.toPlainDateTime();
  const [earlier, later] = (["earlier", "later"] as const).map((disambiguation) =>
    local.toZonedDateTime(zone, { disambiguation }),
  );
  return earlier?.offset === later?.offset ? printed(local) : `${printed(local)}${zoned.offset}`;
}

/** A day and time as such a control shows them: without an offset, to the thousandth at most; any other stays for a line of text. */
const controlTime = (time: string): string => time.replace(/^(\S+) ([\d:]+(\.\d{1,3})?)$/, "$1T$2");

/** A day and time as PostgreSQL prints them: a fraction only where there is one. */
const printed = (local: Temporal.PlainDateTime): string =>
  local
    .toString({ smallestUnit: "microsecond" })
    .replace("T", " ")
    .replace(/\.?0+$/, "");

/** A day or a moment, as PostgreSQL prints it, as a number in order of time; to the millisecond. */
const instant = (stored: string): number =>
  Date.parse(
    stored
      .replace(" ", "T")
      .replace(/\+00$/, "Z")
      .replace(/(T[\d:.]+)$/, "$1Z"),
  );

const readers: Readonly<Record<Exclude<Field, FileField>, (typed: string, label: string) => Read>> = {
  station_code: (typed, label) => needed(choice(typed), label),
  visitor_id: (typed, label) => needed(choice(typed), label),
  visited_at: (typed, label) => needed(moment(typed, label), label),
  level_read_m: (typed, label) => decimal(typed, label, 3, "0", "999.999"),
  findings: (typed, label) => text(typed, label, 2000),
  follow_up_on: (typed, label) => day(typed, label),
};

/** A form that was sent: the texts in its controls, what it would change, and what is wrong with it. */
export type Form = { readonly texts: Partial<Texts>; readonly changes: Changes; readonly problems: readonly Problem[] };

/** Takes the form's own fields and nothing else. What is sent as it was shown is no change, whatever way it went through the browser. */
export function readForm(
  body: Readonly<Record<string, string>>,
  files: Files,
  shown: Texts,
  visit: Visit,
  choices: Choices,
): Form {
  const texts: Partial<Record<Field, string>> = {};
  const changes: Changes = {};
  const problems: Problem[] = [];
  for (const field of fields) {
    if (isFile(field)) {
      const file = files[field];
      if (!file && body[`form.remove:${field}`] !== "true") continue;
      changes[field] = file ? `\\x${file.content.toString("hex")}` : null;
      const message = fileRules[field](file);
      if (message) problems.push({ field, message });
      continue;
    }
    const raw = body[field];
    if (raw === undefined) continue;
    const text = raw.replaceAll(/\r\n?/g, "\n");
    texts[field] = text;
    if (text === shown[field]) continue;
    const { value, message } = text.includes("\0")
      ? wrong(`${labels[field]} holds a character that can't be stored (U+0000): remove it.`)
      : readers[field](text, labels[field]);
    if (value !== undefined && textsOf({ ...visit, [field]: value })[field] === shown[field]) continue;
    changes[field] = value ?? null;
    if (message !== null) problems.push({ field, message });
  }
  /** What the record would come to. */
  const form: Values = { ...visit, ...changes };
  const changed = (...names: readonly Field[]): boolean => names.some((name) => name in changes);
  const isRight = (name: Field): boolean => problems.every(({ field }) => field !== name);
  // form.follow_up_on > form.visited_at
  if (
    changed("follow_up_on", "visited_at") &&
    form.follow_up_on !== null &&
    form.visited_at !== null &&
    instant(form.follow_up_on) <= instant(form.visited_at)
  )
    problems.push({ field: "follow_up_on", message: "The follow-up must come after the visit." });
  // In the order of the form; what concerns no field last.
  const placeOf = ({ field }: Problem): number => (field === null ? fields.length : fields.indexOf(field as Field));
  problems.sort((a, b) => placeOf(a) - placeOf(b));
  for (const field of ["station_code"] as const)
    if (
      isRight(field) &&
      changed(field) &&
      form[field] !== null &&
      !choices[field].some(({ value, gone }) => value === form[field] && !gone)
    )
      problems.push({ field, message: `${labels[field]} names a record that does not exist: choose another.` });
  for (const field of ["visitor_id"] as const)
    if (
      isRight(field) &&
      changed(field) &&
      form[field] !== null &&
      !choices[field].some(({ value, gone }) => value === form[field] && !gone)
    )
      problems.push({ field, message: `${labels[field]} must be one of the choices offered.` });
  return { texts, changes, problems };
}
