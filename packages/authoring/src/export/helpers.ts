import type { Page } from "@loyal-quill/core/page/page";
import { quote, said } from "./source.js";

/* The functions by which an exported form reads typed texts. A file has those that its fields call, and no others. */

/** A function of the exported file: its text, and what it calls itself. */
interface Helper {
  readonly text: (page: Page) => string;
  readonly calls?: readonly string[];
}

export type Code = Parameters<typeof said>[1];
/** A message about a field whose label is known when it is called. */
export const about = ({ language }: Page, code: Code, places: Parameters<typeof said>[2] = {}): string =>
  said(language, code, { label: { code: "label" }, ...places });
const [least, most] = [{ limit: { code: "least" } }, { limit: { code: "most" } }];

/** In the order in which they stand in the file. */
const helpers: Readonly<Record<HelperName, Helper>> = {
  big: { text: () => "" },
  temporal: { text: () => "" },
  re2: { text: () => "" },
  jsonc: { text: () => "" },
  needed: {
    text: (page) => `/** A field that has to be filled in. */
const needed = (read: Read, label: string): Read =>
  read.message === null && !read.value?.trim() ? { value: null, message: ${about(page, "required")} } : read;`,
  },
  also: {
    text: () => `/** A value that these say more of: the first message counts. */
const also = (read: Read, ...rules: readonly ((value: string) => string | false)[]): Read => {
  const { value } = read;
  if (value === null || value === undefined) return read;
  return { value, message: rules.map((rule) => rule(value)).find(Boolean) || read.message };
};`,
  },
  text: {
    calls: ["lengthOf"],
    text: (page) => `/** A text of so many characters at most; an empty one is no value. */
function text(value: string, label: string, most: number): Read {
  const length = lengthOf(value);
  if (length > most) return { value, message: ${about(page, "max-length", { given: { code: "length" }, ...most })} };
  return length === 0 ? nothing : right(value);
}`,
  },
  anyText: { text: () => `const anyText = (value: string): Read => (value === "" ? nothing : right(value));` },
  choice: {
    text: () => `/** One of the choices, which are judged together below. */
const choice = (value: string): Read => (value === "" ? nothing : right(value));`,
  },
  among: {
    text: () => `function among(value: string, values: readonly string[], message: string): Read {
  if (value === "") return nothing;
  return values.includes(value) ? right(value) : wrong(message);
}`,
  },
  wholeNumber: {
    calls: ["ungrouped"],
    text: (page) => `function wholeNumber(typed: string, label: string, least: bigint, most: bigint): Read {
  if (typed === "") return nothing;
  const number = ungrouped(typed.trim());
  if (!/^[+-]?\\d{1,100}$/.test(number)) return wrong(${about(page, "not-an-integer")});
  const value = BigInt(number.replace("+", ""));
  const range = value < least ? ${about(page, "min", least)} : value > most ? ${about(page, "max", most)} : null;
  return { value: value.toString(), message: range };
}`,
  },
  decimal: {
    calls: ["ungrouped", "big"],
    text: (page) => `/** An exact number as PostgreSQL prints it, with so many digits after the point. */
function decimal(typed: string, label: string, digits: number, least: string, most: string): Read {
  if (typed === "") return nothing;
  const number = ungrouped(typed.trim());
  if (number.includes(",")) return wrong(${about(page, "decimal-comma")});
  if (!/^[+-]?(\\d{1,1000}(\\.\\d{0,1000})?|\\.\\d{1,1000})(e[+-]?\\d{1,3})?$/i.test(number)) return wrong(${about(page, "not-a-number")});
  const exact = new Big(number.replace("+", "").replace(/\\.(?=$|e)/i, ""));
  const fits = exact.round(digits).eq(exact);
  const value = exact.toFixed(fits ? digits : undefined).replace(/^-(0(\\.0*)?)$/, "$1");
  if (exact.lt(least)) return { value, message: ${about(page, "min", least)} };
  if (exact.gt(most)) return { value, message: ${about(page, "max", most)} };
  if (!fits) return { value, message: ${about(page, "scale", { limit: { code: "digits" } })} };
  return right(value);
}`,
  },
  anyDecimal: {
    calls: ["ungrouped", "big"],
    text: (page) => `/** An exact number of any size as PostgreSQL prints it. */
function anyDecimal(typed: string, label: string): Read {
  if (typed === "") return nothing;
  const number = ungrouped(typed.trim());
  if (number.includes(",")) return wrong(${about(page, "decimal-comma")});
  if (!/^[+-]?(\\d{1,1000}(\\.\\d{0,1000})?|\\.\\d{1,1000})(e[+-]?\\d{1,3})?$/i.test(number)) return wrong(${about(page, "not-a-number")});
  const exact = new Big(number.replace("+", "").replace(/\\.(?=$|e)/i, ""));
  return { value: exact.toFixed().replace(/^-(0(\\.0*)?)$/, "$1"), message: null };
}`,
  },
  float: {
    calls: ["ungrouped"],
    text: (page) => `/** A number of binary floating point, as it is typed. */
function float(typed: string, label: string): Read {
  if (typed === "") return nothing;
  const value = ungrouped(typed.trim());
  if (value.includes(",")) return wrong(${about(page, "decimal-comma")});
  return /^[+-]?(\\d+(\\.\\d*)?|\\.\\d+)(e[+-]?\\d{1,3})?$/i.test(value) ? right(value) : wrong(${about(page, "not-a-number")});
}`,
  },
  day: {
    text: (page) => `function day(typed: string, label: string): Read {
  if (typed === "") return nothing;
  const value = typed.trim();
  if (!/^\\d{4}-\\d\\d-\\d\\d$/.test(value)) return wrong(${about(page, "not-a-date")});
  const date = new Date(\`\${value}T00:00:00Z\`);
  const isThere = !Number.isNaN(date.getTime()) && date.toISOString().startsWith(value) && !value.startsWith("0000");
  return isThere ? right(value) : wrong(${about(page, "no-such-date")});
}`,
  },
  moment: {
    calls: ["temporal", "printed", "zone"],
    text: (
      page,
    ) => `/** A moment, typed as a day and time of ${page.timeZone} or with an offset of its own; stored in UTC. */
function moment(typed: string, label: string): Read {
  if (typed === "") return nothing;
  const [, day, time, offset] = /^(\\d{4}-\\d\\d-\\d\\d)[T ](\\d\\d:\\d\\d(?::\\d\\d(?:\\.\\d{1,6})?)?) ?(Z|[+-]\\d\\d(?::?\\d\\d)?)?$/.exec(typed.trim()) ?? [];
  if (day === undefined) return wrong(${about(page, "not-a-time")});
  let local: Temporal.PlainDateTime;
  try {
    local = Temporal.PlainDateTime.from(\`\${day}T\${time}\`, { overflow: "reject" });
    if (local.year === 0) return wrong(${about(page, "no-such-date")});
  } catch {
    return wrong(${about(page, "no-such-date")});
  }
  const own = offset === "Z" ? "UTC" : offset && \`\${offset.slice(0, 3)}:\${offset.replace(":", "").slice(3) || "00"}\`;
  try {
    const zoned = local.toZonedDateTime(own ?? zone, { disambiguation: "reject" });
    return { value: \`\${printed(zoned.withTimeZone("UTC").toPlainDateTime())}+00\`, message: null };
  } catch {
    return wrong(own === undefined ? ${about(page, "hour-twice-or-never")} : ${about(page, "not-a-time")});
  }
}`,
  },
  plainMoment: {
    calls: ["temporal", "printed"],
    text: (page) => `/** A day and time of no zone. */
function plainMoment(typed: string, label: string): Read {
  if (typed === "") return nothing;
  if (!/^\\d{4}-\\d\\d-\\d\\d[T ]\\d\\d:\\d\\d(:\\d\\d(\\.\\d{1,6})?)?$/.test(typed.trim())) return wrong(${about(page, "not-a-time")});
  try {
    return { value: printed(Temporal.PlainDateTime.from(typed.trim().replace(" ", "T"), { overflow: "reject" })), message: null };
  } catch {
    return wrong(${about(page, "no-such-date")});
  }
}`,
  },
  uuid: {
    text: (page) => `function uuid(typed: string, label: string): Read {
  if (typed === "") return nothing;
  const value = typed.trim().toLowerCase();
  return /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/.test(value) ? right(value) : wrong(${about(page, "not-a-uuid")});
}`,
  },
  json: {
    calls: ["jsonc"],
    text: (page) => `/** JSON (RFC 8259); where it goes wrong is counted from one. */
function json(value: string, label: string): Read {
  if (value === "") return nothing;
  try {
    JSON.parse(value);
    return right(value);
  } catch {
    const errors: ParseError[] = [];
    parseJson(value, errors, { disallowComments: true, allowTrailingComma: false, allowEmptyContent: false });
    const before = value.slice(0, errors[0]?.offset ?? value.length).split("\\n");
    return wrong(${about(page, "not-json", { line: { code: "before.length" }, column: { code: '[...(before.at(-1) ?? "")].length + 1' } })});
  }
}`,
  },
  slugOf: {
    text: () => `/** A text as a part of an address: small letters and digits of ASCII, hyphens between. */
const slugOf = (text = ""): string =>
  transliterate(text).toLowerCase().replaceAll(/[^a-z0-9]+/g, "-").replaceAll(/^-|-$/g, "");`,
    calls: ["transliterate"],
  },
  transliterate: { text: () => "" },
  singleSpaces: {
    text: () => `/** Every run of white space as one space; line breaks stay. */
const singleSpaces = (typed: string): string => typed.replaceAll(/[^\\S\\n]+/g, " ");`,
  },
  lengthOf: {
    text: () => `/** The number of characters: what PostgreSQL counts, not UTF-16's units. */
const lengthOf = (value: string): number => [...value].length;`,
  },
  ungrouped: {
    text: () => `/** A number without the commas between its thousands, where it leaves no doubt that they are such. */
const ungrouped = (typed: string): string =>
  /^[+-]?\\d{1,3}(?:(?:,\\d{3}){2,}(?:\\.\\d*)?|,\\d{3}\\.\\d*)$/.test(typed) ? typed.replaceAll(",", "") : typed;`,
  },
  zone: { text: (page) => `const zone = ${quote(page.timeZone)};` },
  localTime: {
    calls: ["temporal", "printed", "zone"],
    text: (
      page,
    ) => `/** A stored moment as a day and time of ${page.timeZone}; in the hour that comes twice, with its offset. */
export function localTime(stored: string): string {
  const zoned = Temporal.Instant.from(stored.replace(" ", "T").replace("+00", "Z")).toZonedDateTimeISO(zone);
  const local = zoned.toPlainDateTime();
  const [earlier, later] = (["earlier", "later"] as const).map((disambiguation) => local.toZonedDateTime(zone, { disambiguation }));
  return earlier?.offset === later?.offset ? printed(local) : \`\${printed(local)}\${zoned.offset}\`;
}`,
  },
  controlTime: {
    text: () => `/** A day and time as such a control shows them: without an offset, to the thousandth at most; any other stays for a line of text. */
const controlTime = (time: string): string => time.replace(/^(\\S+) ([\\d:]+(\\.\\d{1,3})?)$/, "$1T$2");`,
  },
  printed: {
    text: () => `/** A day and time as PostgreSQL prints them: a fraction only where there is one. */
const printed = (local: Temporal.PlainDateTime): string =>
  local.toString({ smallestUnit: "microsecond" }).replace("T", " ").replace(/\\.?0+$/, "");`,
  },
  instant: {
    text: () => `/** A day or a moment, as PostgreSQL prints it, as a number in order of time; to the millisecond. */
const instant = (stored: string): number =>
  Date.parse(stored.replace(" ", "T").replace(/\\+00$/, "Z").replace(/(T[\\d:.]+)$/, "$1Z"));`,
  },
};

export type HelperName =
  | "big"
  | "temporal"
  | "re2"
  | "jsonc"
  | "needed"
  | "also"
  | "text"
  | "anyText"
  | "choice"
  | "among"
  | "wholeNumber"
  | "decimal"
  | "anyDecimal"
  | "float"
  | "day"
  | "moment"
  | "plainMoment"
  | "uuid"
  | "json"
  | "slugOf"
  | "transliterate"
  | "singleSpaces"
  | "lengthOf"
  | "ungrouped"
  | "zone"
  | "localTime"
  | "controlTime"
  | "printed"
  | "instant";

/** The functions that are needed with these, in the order of the file. */
export function helpersFor(called: ReadonlySet<HelperName>): ReadonlySet<HelperName> {
  const all = new Set<HelperName>();
  const add = (name: HelperName): void => {
    all.add(name);
    for (const each of helpers[name].calls ?? []) add(each as HelperName);
  };
  for (const name of called) add(name);
  return new Set((Object.keys(helpers) as HelperName[]).filter((name) => all.has(name)));
}

export const helperText = (name: HelperName, page: Page): string => helpers[name].text(page);
