import type { Setting } from "./setting.js";
import { line } from "./shapes.js";

/** Zones that were found to be there: there are not many, and to look costs more than binding a field. */
const zones = new Set(["UTC"]);

function hasTimeZone(zone: string): boolean {
  if (zones.has(zone)) return true;
  try {
    new Intl.DateTimeFormat("en", { timeZone: zone });
  } catch {
    return false;
  }
  zones.add(zone);
  return true;
}

export const timeZone: Setting<string, string, "timeZone"> = {
  label: "Time zone",
  about: "IANA name of the zone in which a `timestamptz` is shown and read.",
  without: "`UTC`",
  step: "prefill",
  editor: { kind: "line", placeholder: "UTC" },
  into: "timeZone",
  schema: () => line,
  bind(given = "UTC", binder, path) {
    if (!hasTimeZone(given))
      binder.error("time-zone", `"${given}" is not a name of the IANA time zone database.`, path);
    return given;
  },
};
