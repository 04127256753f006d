import { Temporal } from "temporal-polyfill";
import { plainText } from "./local-time.js";

/** A stored `timestamptz` (text form in UTC) as local time of a zone; with its offset where the local time alone is not enough. */
export function inZone(stored: string, timeZone: string): string | undefined {
  if (!/^\d{4}-\d\d-\d\d \d\d:\d\d:\d\d(\.\d{1,6})?\+00$/.test(stored)) return undefined;
  const instant = Temporal.Instant.from(stored.replace(" ", "T").replace(/\+00$/, "Z"));
  const zoned = instant.toZonedDateTimeISO(timeZone);
  const local = zoned.toPlainDateTime();
  if (local.year < 1 || local.year > 9999) return undefined;
  const text = plainText(local);
  return isAmbiguous(local, timeZone) ? `${text}${zoned.offset}` : text;
}

/** Whether a local time happens twice in its zone: when the clocks go back. */
function isAmbiguous(local: Temporal.PlainDateTime, timeZone: string): boolean {
  const earlier = local.toZonedDateTime(timeZone, { disambiguation: "earlier" });
  const later = local.toZonedDateTime(timeZone, { disambiguation: "later" });
  return earlier.epochNanoseconds !== later.epochNanoseconds;
}
