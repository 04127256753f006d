import type { Temporal } from "temporal-polyfill";

/** A local date and time as PostgreSQL prints a `timestamp`: seconds always, a fraction only where there is one. */
export function plainText(local: Temporal.PlainDateTime): string {
  const [whole = "", fraction = ""] = local.toString({ smallestUnit: "microsecond" }).replace("T", " ").split(".");
  const digits = fraction.replace(/0+$/, "");
  return digits ? `${whole}.${digits}` : whole;
}
