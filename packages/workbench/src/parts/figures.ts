const number = new Intl.NumberFormat("en-GB");

/** A count with its thousands apart. */
export const figure = (value: number): string => number.format(value);

const units = ["B", "kB", "MB", "GB", "TB"] as const;

/** Bytes in the unit that leaves up to three digits before the point. */
export function bytes(value: number): string {
  let [size, unit] = [value, 0];
  while (size >= 1000 && unit < units.length - 1) {
    size /= 1000;
    unit += 1;
  }
  return `${unit === 0 || size >= 100 ? Math.round(size) : size.toFixed(1)} ${units[unit]}`;
}
