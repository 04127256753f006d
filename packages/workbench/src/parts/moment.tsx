import { useSession } from "../api/queries.js";
import { Choice } from "./choice.js";
import { chooseZone, ownZone, useZone } from "./zone.js";

const shapes = {
  time: { hour: "2-digit", minute: "2-digit", second: "2-digit" },
  dayTime: { day: "numeric", month: "short", hour: "2-digit", minute: "2-digit" },
  dated: { day: "numeric", month: "short", year: "numeric", hour: "2-digit", minute: "2-digit" },
  day: { weekday: "long", day: "numeric", month: "long", year: "numeric" },
  whole: { dateStyle: "medium", timeStyle: "long" },
} satisfies Record<string, Intl.DateTimeFormatOptions>;

const made = new Map<string, Intl.DateTimeFormat>();

/** A moment in one of the shapes that the workbench has for it. @param at ISO 8601, or milliseconds since 1970 */
export function momentText(shape: keyof typeof shapes, at: string | number, zone: string): string {
  const name = `${shape} ${zone}`;
  const format = made.get(name) ?? new Intl.DateTimeFormat("en-GB", { ...shapes[shape], timeZone: zone });
  made.set(name, format);
  return format.format(new Date(at));
}

/** A moment: the time of today, otherwise day and time; to the second and with its zone where one points. */
export function Moment({ at, only }: { at: string; only?: "time" }) {
  const zone = useZone();
  const today = momentText("day", at, zone) === momentText("day", Date.now(), zone);
  return (
    <time dateTime={at} title={momentText("whole", at, zone)}>
      {momentText(only === "time" || today ? "time" : "dayTime", at, zone)}
    </time>
  );
}

/** The zone of what is told below: the browser's, one of the served pages, or UTC. */
export function ZoneChoice() {
  const zone = useZone();
  const session = useSession();
  const zones = [...new Set([ownZone, ...(session.data?.timeZones ?? []), "UTC", zone])];
  return (
    <Choice
      label="Time zone"
      value={zone}
      options={zones.map((id) => ({ id, text: id === ownZone ? `${id} (this browser)` : id }))}
      onChange={chooseZone}
    />
  );
}

/** Consecutive entries of the same day in a zone, each with the day's heading. */
export function byDay<Entry extends { readonly at: string }>(
  entries: readonly Entry[],
  zone: string,
): readonly { readonly day: string; readonly entries: readonly Entry[] }[] {
  const days: { day: string; entries: Entry[] }[] = [];
  for (const entry of entries) {
    const day = momentText("day", entry.at, zone);
    const last = days.at(-1);
    if (last?.day === day) last.entries.push(entry);
    else days.push({ day, entries: [entry] });
  }
  return days;
}
