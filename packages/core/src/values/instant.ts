/**
 * Microseconds of a date, timestamp or timestamp with time zone in PostgreSQL's ISO text form (`DateStyle` ISO, time zone
 * UTC), counted from 1970-01-01 in the proleptic Gregorian calendar. `infinity` and `-infinity` lie outside of all others.
 *
 * @returns undefined when the text is none of these
 */
export function microseconds(text: string): bigint | undefined {
  if (text === "infinity") return 2n ** 70n;
  if (text === "-infinity") return -(2n ** 70n);
  const match =
    /^(\d{4,6})-(\d\d)-(\d\d)(?:[ T](\d\d):(\d\d)(?::(\d\d)(?:\.(\d{1,6}))?)?(Z|[+-]\d\d(?::?\d\d)?)?)?( BC)?$/.exec(
      text,
    );
  if (!match) return undefined;
  const [, year, month, day, hour = "0", minute = "0", second = "0", fraction = "", zone = "", bc] = match;
  const fullYear = bc ? 1 - Number(year) : Number(year);
  const date = new Date(0);
  date.setUTCFullYear(fullYear, Number(month) - 1, Number(day));
  if (date.getUTCMonth() !== Number(month) - 1 || date.getUTCDate() !== Number(day)) return undefined;
  if (Number(hour) > 24 || Number(minute) > 59 || Number(second) > 60) return undefined;
  const seconds = BigInt(Number(hour) * 3600 + Number(minute) * 60 + Number(second));
  const offset = /^([+-])(\d\d):?(\d\d)?$/.exec(zone);
  const shift = offset ? BigInt(`${offset[1]}1`) * BigInt(Number(offset[2]) * 3600 + Number(offset[3] ?? 0) * 60) : 0n;
  return BigInt(date.getTime()) * 1000n + (seconds - shift) * 1_000_000n + BigInt(fraction.padEnd(6, "0"));
}
