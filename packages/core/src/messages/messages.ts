/**
 * What the served pages say, by code. Each message says what is wrong and what to do; `{x}` places are filled by the step
 * that found the problem.
 */
const english = {
  required: "{label} is needed: enter a value.",
  "min-length": "{label} has {given} characters; at least {limit} are needed.",
  "max-length": "{label} has {given} characters; at most {limit} fit.",
  min: "{label} is below {limit}: enter {limit} or more.",
  max: "{label} is above {limit}: enter {limit} or less.",
  scale: "{label} has more than {limit} digits after the point: round it to {limit}.",
  step: "{label} must be a multiple of {limit}.",
  pattern: "{label} does not have the form that is wanted here.",
  "e-mail": "{label} must be an e-mail address, like name@example.com.",
  "web-address": "{label} must be a web address, like https://www.example.com.",
  "not-an-integer": "{label} must be a whole number, like 12.",
  "not-a-number": "{label} must be a number, like 12.50.",
  "decimal-comma": "{label} must be written with a point, like 12.50, not with a comma.",
  "not-a-date": "{label} must be a date, written like 2026-03-31.",
  "no-such-date": "{label} is a day or time that the calendar does not have.",
  "not-a-time": "{label} must be a date and time, written like 2026-03-31 14:30.",
  "hour-twice-or-never":
    "{label} falls into the hour in which the clocks change: add the offset, like 2026-10-25 01:30+01:00.",
  "not-a-uuid": "{label} must be a UUID: 32 hexadecimal digits with four hyphens.",
  "not-json": "{label} must be valid JSON.",
  "not-yes-or-no": "{label} must be yes or no.",
  "not-on-offer": "{label} must be one of the choices offered.",
  nul: "{label} holds a character that can't be stored (U+0000): remove it.",
  unique: "{label} is already used by another record: enter a different one.",
  "unique-together": "{label} together with {others} is already used by another record.",
  exists: "{label} names a record that does not exist: choose another.",
  check: "The table refuses this ({constraint}): {definition}.",
  "not-null": "{label} is needed by the table: enter a value.",
  exclusion: "{label} overlaps with another record.",
  "trouble-away": "The database can't be reached just now. Try again in a minute.",
  "trouble-slow": "The database took too long. Try again in a minute.",
  "trouble-busy": "Too many people save at once. Try again.",
  "trouble-read-only": "The database takes no changes just now. Try again later.",
  "trouble-page":
    "This page does not fit its table any more, or lacks a right on it. Tell the person who looks after it.",
  "refused-by-database": "The database refuses this: {said}",
  "not-of-type": "{label} can't be stored: {said}.",
  "value-out-of-range": "The database can't store one of the values: {said}",
} as const;

export type MessageCode = keyof typeof english;

/** The message of a code with its places filled; a place without a value stays empty. */
export const message = (code: MessageCode, places: Readonly<Record<string, string | number>> = {}): string =>
  english[code].replaceAll(/\{(\w+)\}/g, (_, name: string) => String(places[name] ?? ""));
