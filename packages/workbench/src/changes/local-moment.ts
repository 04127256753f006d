import { Temporal } from "temporal-polyfill";

/** A moment as the control has it: local to a zone, to the minute; empty for what is no moment. */
export function localOf(at: string, zone: string): string {
  if (Number.isNaN(Date.parse(at))) return "";
  const local = Temporal.Instant.from(new Date(at).toISOString()).toZonedDateTimeISO(zone).toPlainDateTime();
  return local.toString({ smallestUnit: "minute" });
}

/** The moment that a control means in a zone; where the clocks go back the first of the two. @returns ISO 8601, UTC */
export function momentOf(local: string, zone: string): string {
  if (local === "") return "";
  return new Date(Temporal.PlainDateTime.from(local).toZonedDateTime(zone).epochMilliseconds).toISOString();
}
