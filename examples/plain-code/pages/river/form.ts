import Big from "big.js";

/** A record as it is stored: each value as PostgreSQL prints it. Its version is another one as soon as anybody changes the row. */
export interface River {
  readonly id: string;
  readonly name: string;
  readonly length_km: string | null;
  readonly version: string;
}

/** The same as it may be typed: any value can be missing. */
export type Values = { readonly [Name in keyof River]: string | null };

/** What the form takes, in its order, and what it is called. */
export const labels = {
  name: "Name",
  length_km: "Length",
};
export type Field = keyof typeof labels;
export const fields = Object.keys(labels) as readonly Field[];
export type Texts = Readonly<Record<Field, string>>;
export type Changes = Partial<Record<Field, string | null>>;

/** What the controls show of a record. */
export const textsOf = (river: Values): Texts =>
  Object.fromEntries(fields.map((field) => [field, river[field] ?? ""])) as Texts;

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
};

const readers: Readonly<Record<Field, (typed: string, label: string) => Read>> = {
  name: (typed, label) => needed(text(typed, label, 40), label),
  length_km: (typed, label) => decimal(typed, label, 1, "0.1", "500"),
};

/** A form that was sent: the texts in its controls, what it would change, and what is wrong with it. */
export type Form = { readonly texts: Partial<Texts>; readonly changes: Changes; readonly problems: readonly Problem[] };

/** Takes the form's own fields and nothing else. What is sent as it was shown is no change, whatever way it went through the browser. */
export function readForm(body: Readonly<Record<string, string>>, shown: Texts, river: River): Form {
  const texts: Partial<Record<Field, string>> = {};
  const changes: Changes = {};
  const problems: Problem[] = [];
  for (const field of fields) {
    const raw = body[field];
    if (raw === undefined) continue;
    const typed = raw.replaceAll(/\r\n?/g, "\n");
    const text = typed === shown[field] ? typed : (tidied[field]?.(typed) ?? typed);
    texts[field] = text;
    if (text === shown[field]) continue;
    const { value, message } = text.includes("\0")
      ? wrong(`${labels[field]} holds a character that can't be stored (U+0000): remove it.`)
      : readers[field](text, labels[field]);
    if (value !== undefined && textsOf({ ...river, [field]: value })[field] === shown[field]) continue;
    changes[field] = value ?? null;
    if (message !== null) problems.push({ field, message });
  }

  return { texts, changes, problems };
}
