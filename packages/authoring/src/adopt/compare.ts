import type { Stored } from "@loyal-quill/core/postgres/statement";
import type { Column } from "@loyal-quill/core/table/model";
import Big from "big.js";
import type { HtmlControl } from "./html-form.js";

/* What a control shows, held against what is stored in its column. */

const truths: readonly string[] = ["true", "1", "on", "yes", "y", "t"];

/** Whether a box is ticked that stands for a truth. */
export const isTicked = ({ kind, value }: HtmlControl): boolean =>
  kind === "checkbox" || kind === "radio" ? value !== null : truths.includes((value ?? "").toLowerCase());

const numberOf = (text: string): Big | null => {
  const plain = text.trim().replaceAll(/[\s ']/g, "");
  const pointed = /^-?\d+,\d+$/.test(plain) ? plain.replace(",", ".") : plain.replaceAll(",", "");
  return /^[+-]?(\d+\.?\d*|\.\d+)(e[+-]?\d+)?$/i.test(pointed) ? new Big(pointed) : null;
};

/** The days that a text may mean, as `YYYY-MM-DD`. */
function daysOf(text: string): readonly string[] {
  const iso = /^(\d{4})-(\d\d)-(\d\d)/.exec(text.trim());
  if (iso) return [`${iso[1]}-${iso[2]}-${iso[3]}`];
  const two = /^(\d{1,2})[./-](\d{1,2})[./-](\d{4})/.exec(text.trim());
  if (!two) return [];
  const [, a = "", b = "", year = ""] = two;
  const day = (month: string, of: string): string => `${year}-${month.padStart(2, "0")}-${of.padStart(2, "0")}`;
  return [day(a, b), day(b, a)];
}

/** The time of day in a text to the minute; null where there is none. */
const minuteOf = (text: string): string | null => /(\d\d:\d\d)/.exec(text)?.[1] ?? null;

/** A moment as people write it in a time zone: `2026-03-31 14:30`. */
const inZone = (stored: string, timeZone: string): string =>
  new Intl.DateTimeFormat("sv-SE", { timeZone, dateStyle: "short", timeStyle: "short" }).format(new Date(stored));

/** Line ends as a browser has them in a control's value (HTML, 4.10.11.5). */
const lines = (text: string): string => text.replaceAll(/\r\n?/g, "\n");

/** How a control's value is otherwise than what is stored. */
export type Difference =
  /** Nothing is shown, though something is stored. */
  | { readonly is: "empty" }
  /** White space alone. */
  | { readonly is: "white-space" }
  /** It ends early, or has lost digits. */
  | { readonly is: "cut" }
  /** Another time, by so many minutes, or another day. */
  | { readonly is: "shifted" }
  /** Signs of markup were taken for markup, or the other way about. */
  | { readonly is: "not-escaped" }
  | { readonly is: "other" };

const entities = /&(amp|lt|gt|quot|#0*39|apos|nbsp);/g;
const signs: Readonly<Record<string, string>> = { amp: "&", lt: "<", gt: ">", quot: '"', apos: "'", nbsp: " " };
const decoded = (text: string): string => text.replaceAll(entities, (_, name: string) => signs[name] ?? "'");

function differenceOfTexts(shown: string, stored: string): Difference | null {
  const [is, was] = [lines(shown), lines(stored)];
  if (is === was) return null;
  if (is === "") return { is: "empty" };
  if (is.replaceAll(/\s+/g, "") === was.replaceAll(/\s+/g, "")) return { is: "white-space" };
  if (decoded(is) === was || is === decoded(was)) return { is: "not-escaped" };
  const begins = was.trimStart().startsWith(is.trim());
  const next = was.trimStart().slice(is.trim().length).trimStart()[0] ?? "";
  if (begins && /["'<>&]/.test(next)) return { is: "not-escaped" };
  return { is: begins ? "cut" : "other" };
}

function differenceOfMoments(shown: string, stored: string, zones: readonly string[]): Difference | null {
  const days = daysOf(shown);
  const at = minuteOf(shown.replace(/^[^T ]*/, ""));
  if (days.length === 0) return { is: "other" };
  const isThen = zones.some((zone) => {
    const local = inZone(stored, zone);
    return days.includes(local.slice(0, 10)) && (at === null || at === local.slice(11, 16));
  });
  return isThen ? null : { is: "shifted" };
}

/**
 * How what a control shows differs from what is stored; null where it does not.
 *
 * @param stored PostgreSQL's text form, moments in UTC
 * @param zones IANA names of the time zones in which a moment may be shown
 */
export function difference(
  control: HtmlControl,
  { type }: Column,
  stored: Stored,
  zones: readonly string[] = ["UTC"],
): Difference | null {
  if (type.kind === "boolean") return isTicked(control) === (stored === "true") ? null : { is: "other" };
  const shown = control.value ?? "";
  if (stored === null) return shown === "" ? null : { is: "other" };
  if (shown === stored) return null;
  if (shown.trim() === "" && stored.trim() !== "") return { is: "empty" };
  if (control.options.length > 0) return { is: "other" };
  if (type.kind === "integer" || type.kind === "decimal" || type.kind === "float") {
    const [is, was] = [numberOf(shown), numberOf(stored)];
    if (!is || !was) return { is: "other" };
    if (is.eq(was)) return null;
    const digits = /\.(\d+)/.exec(shown)?.[1]?.length ?? 0;
    return { is: [0, 1].some((mode) => was.round(digits, mode as 0 | 1).eq(is)) ? "cut" : "other" };
  }
  if (type.kind === "date") {
    // A date's control takes one notation only, and shows nothing of any other (HTML, 4.10.5.1.7).
    if (control.kind === "date" && !/^\d{4}-\d\d-\d\d$/.test(shown)) return { is: "empty" };
    const days = daysOf(shown);
    return days.includes(stored) ? null : { is: days.length > 0 ? "shifted" : "other" };
  }
  if (type.kind === "timestamp" || type.kind === "timestamptz") {
    if (control.kind === "datetime-local" && !/^\d{4}-\d\d-\d\d[T ]\d\d:\d\d/.test(shown)) return { is: "empty" };
    return differenceOfMoments(
      shown,
      type.kind === "timestamp" ? `${stored}Z` : stored,
      type.kind === "timestamp" ? ["UTC"] : zones,
    );
  }
  return differenceOfTexts(shown, stored);
}

export const isSame = (control: HtmlControl, column: Column, stored: Stored): boolean =>
  difference(control, column, stored) === null;
