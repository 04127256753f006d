const time = new Intl.DateTimeFormat("en-GB", { hour: "2-digit", minute: "2-digit", second: "2-digit" });
const dayTime = new Intl.DateTimeFormat("en-GB", {
  day: "numeric",
  month: "short",
  hour: "2-digit",
  minute: "2-digit",
});
const day = new Intl.DateTimeFormat("en-GB", { weekday: "long", day: "numeric", month: "long", year: "numeric" });

/** The day of a moment in words, local to the reader. */
export const dayOf = (at: string): string => day.format(new Date(at));

/** The time of day of a moment, local to the reader. */
export const timeOf = (at: string): string => time.format(new Date(at));

/** The time zone of the reader, in which moments are told. */
export const zone = Intl.DateTimeFormat().resolvedOptions().timeZone;

const whole = new Intl.DateTimeFormat("en-GB", { dateStyle: "medium", timeStyle: "long" });

/** A moment, local to the reader: the time of today, otherwise day and time; to the second and with its zone where one points. */
export function Moment({ at, only }: { at: string; only?: "time" }) {
  const date = new Date(at);
  const today = date.toDateString() === new Date().toDateString();
  return (
    <time dateTime={at} title={whole.format(date)}>
      {(only === "time" || today ? time : dayTime).format(date)}
    </time>
  );
}

/** Consecutive entries of the same day, each with the day's heading. */
export function byDay<Entry extends { readonly at: string }>(
  entries: readonly Entry[],
): readonly { readonly day: string; readonly entries: readonly Entry[] }[] {
  const days: { day: string; entries: Entry[] }[] = [];
  for (const entry of entries) {
    const day = dayOf(entry.at);
    const last = days.at(-1);
    if (last?.day === day) last.entries.push(entry);
    else days.push({ day, entries: [entry] });
  }
  return days;
}
