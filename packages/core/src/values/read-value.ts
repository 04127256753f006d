import Big from "big.js";
import { parse as parseJson } from "jsonc-parser";
import { Temporal } from "temporal-polyfill";
import type { MessageCode } from "../messages/catalog.js";
import type { Language } from "../messages/messages.js";
import type { Stored } from "../postgres/statement.js";
import type { ColumnType } from "../table/model.js";
import { ambiguousCode, dayFrom, numberFrom } from "./in-language.js";
import { plainText } from "./local-time.js";

/** A typed text as a value of the column's type, or why it is none. */
export type ReadValue =
  | { readonly ok: true; readonly value: Stored }
  | { readonly ok: false; readonly code: MessageCode; readonly places?: Readonly<Record<string, string | number>> };

const value = (text: Stored): ReadValue => ({ ok: true, value: text });
const wrong = (code: MessageCode): ReadValue => ({ ok: false, code });

function readInteger(text: string): ReadValue {
  if (!/^[+-]?\d{1,100}$/.test(text)) return wrong("not-an-integer");
  return value(BigInt(text.replace(/^\+/, "")).toString());
}

/** `NaN`, `Infinity` and `-Infinity` as PostgreSQL prints them (documentation, 8.1.2), however they were written. */
function specialNumber(text: string): string | undefined {
  if (/^nan$/i.test(text)) return "NaN";
  const match = /^([+-]?)inf(inity)?$/i.exec(text);
  return match ? `${match[1] === "-" ? "-" : ""}Infinity` : undefined;
}

/** Exact decimal; with the column's scale where it fits, so that 1.5 and 1.50 are the same value of a `numeric(5,2)`. */
function readDecimal(text: string, scale: number | null): ReadValue {
  const special = specialNumber(text);
  if (special !== undefined) return value(special);
  if (/^[+-]?\d+,\d+$/.test(text)) return wrong("decimal-comma");
  if (!/^[+-]?(\d{1,1000}(\.\d{0,1000})?|\.\d{1,1000})(e[+-]?\d{1,3})?$/i.test(text)) return wrong("not-a-number");
  const number = new Big(text.replace(/^\+/, "").replace(/\.(?=$|e)/i, ""));
  const digits = /\.(\d*)$/.exec(number.toFixed())?.[1]?.length ?? 0;
  const fixed = scale !== null && digits <= scale ? number.toFixed(Math.max(0, scale)) : number.toFixed();
  return value(fixed.replace(/^-(0(\.0*)?)$/, "$1"));
}

function readFloat(text: string): ReadValue {
  const special = specialNumber(text);
  if (special !== undefined) return value(special);
  return /^[+-]?(\d+(\.\d*)?|\.\d+)(e[+-]?\d{1,3})?$/i.test(text) ? value(text) : wrong("not-a-number");
}

/** Beyond the calendar of controls: infinity, years before Christ or above 9999. What of it is a date PostgreSQL judges itself. */
const beyond = /^([+-]?infinity|\d{4,7}-\d\d-\d\d( \d\d:\d\d(:\d\d(\.\d{1,6})?)?([+-]\d\d(:\d\d(:\d\d)?)?)?)?( BC)?)$/;
const isBeyond = (text: string): boolean => beyond.test(text) && !/^\d{4}-.*\d$/.test(text);

/** PostgreSQL's calendar has no year 0 (documentation, 8.5.1.4): the one before 1 is 1 BC. */
const hasNoYear = (text: string): boolean => text.startsWith("0000-");

function readDate(text: string): ReadValue {
  if (isBeyond(text)) return value(text.replace(/^\+/, ""));
  if (!/^\d{4}-\d\d-\d\d$/.test(text)) return wrong("not-a-date");
  if (hasNoYear(text)) return wrong("no-such-date");
  try {
    return value(Temporal.PlainDate.from(text, { overflow: "reject" }).toString());
  } catch {
    return wrong("no-such-date");
  }
}

const timestampForm = /^(\d{4}-\d\d-\d\d)[T ](\d\d:\d\d(?::\d\d(?:\.\d{1,6})?)?) ?(Z|[+-]\d\d(?::?\d\d)?)?$/;

function readTimestamp(text: string, zone: string | null): ReadValue {
  if (isBeyond(text)) return value(text.replace(/^\+/, ""));
  const match = timestampForm.exec(text);
  if (!match || (match[3] !== undefined && zone === null)) return wrong("not-a-time");
  if (hasNoYear(text)) return wrong("no-such-date");
  let local: Temporal.PlainDateTime;
  try {
    local = Temporal.PlainDateTime.from(`${match[1]}T${match[2]}`, { overflow: "reject" });
  } catch {
    return wrong("no-such-date");
  }
  if (zone === null) return value(plainText(local));
  return readInstant(local, match[3], zone);
}

function readInstant(local: Temporal.PlainDateTime, offset: string | undefined, zone: string): ReadValue {
  try {
    if (offset === "Z") return value(`${plainText(local)}+00`);
    const timeZone = offset === undefined ? zone : `${offset.slice(0, 3)}:${offset.replace(":", "").slice(3) || "00"}`;
    const instant = local.toZonedDateTime(timeZone, { disambiguation: "reject" }).toInstant();
    return value(`${plainText(instant.toZonedDateTimeISO("UTC").toPlainDateTime())}+00`);
  } catch {
    return wrong(offset === undefined ? "hour-twice-or-never" : "not-a-time");
  }
}

/** Where a text that is no JSON goes wrong, as people count: lines and characters from one (RFC 8259). */
function jsonError(text: string): { readonly line: number; readonly column: number } {
  const errors: { offset: number }[] = [];
  parseJson(text, errors as never, { disallowComments: true, allowTrailingComma: false, allowEmptyContent: false });
  const before = text.slice(0, errors[0]?.offset ?? text.length).split("\n");
  return { line: before.length, column: [...(before.at(-1) ?? "")].length + 1 };
}

function readJson(text: string): ReadValue {
  try {
    JSON.parse(text);
    return value(text);
  } catch {
    return { ok: false, code: "not-json", places: jsonError(text) };
  }
}

/** A number or day that was typed in a language's way, in PostgreSQL's; null where there is no such way. */
function ownWay(type: ColumnType, text: string, language: Language): string | null {
  switch (type.kind) {
    case "integer":
    case "decimal":
    case "float": {
      const read = numberFrom(text, language);
      if (read !== "ambiguous") return read.text;
      return type.kind === "integer" ? text : "ambiguous";
    }
    case "date":
    case "timestamp":
    case "timestamptz":
      return dayFrom(text, language);
    default:
      return null;
  }
}

/**
 * Reads a typed text as a value of a column's type: the text form that PostgreSQL would print for it.
 *
 * @param text as typed, line breaks as LF; empty is null
 * @param timeZone IANA name of the zone in which a `timestamptz` was typed
 * @param language the language in which numbers and days were typed; null for PostgreSQL's own text form
 */
export function readValue(
  type: ColumnType,
  text: string,
  timeZone: string,
  language: Language | null = null,
): ReadValue {
  if (text.includes("\0")) return wrong("nul");
  if (text === "") return value(null);
  const own = language && ownWay(type, text.trim(), language);
  if (own === "ambiguous" && language) return wrong(ambiguousCode(language));
  const trimmed = own ?? text.trim();
  switch (type.kind) {
    case "integer":
      return readInteger(trimmed);
    case "decimal":
      return readDecimal(trimmed, type.scale);
    case "float":
      return readFloat(trimmed);
    case "boolean":
      return trimmed === "true" || trimmed === "false" ? value(trimmed) : wrong("not-yes-or-no");
    case "date":
      return readDate(trimmed);
    case "timestamp":
      return readTimestamp(trimmed, null);
    case "timestamptz":
      return readTimestamp(trimmed, timeZone);
    case "uuid":
      return /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i.test(trimmed)
        ? value(trimmed.toLowerCase())
        : wrong("not-a-uuid");
    case "json":
      return readJson(text);
    case "enum":
      return type.labels.includes(text) ? value(text) : wrong("not-on-offer");
    case "text":
    case "time":
    case "other":
      return value(text);
  }
}
