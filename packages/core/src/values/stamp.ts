import type { Language } from "../messages/messages.js";

/**
 * What stands for a file's content everywhere but in the column itself: its SHA-256 and its size in bytes, `sha256:HEX:SIZE`. It is what is
 * loaded, compared and logged, so that no content travels that nobody asked for.
 */
const form = /^sha256:[0-9a-f]{64}:(\d+)$/;

/** The size that a stamp tells, in bytes; null for what is no stamp. */
export function sizeIn(stamp: string): number | null {
  const [, size] = form.exec(stamp) ?? [];
  return size === undefined ? null : Number(size);
}

const units = ["byte", "kilobyte", "megabyte", "gigabyte"] as const;

/** A size as people read it: `12 kB`, in powers of a thousand (IEC 80000-13). */
export function toldSize(bytes: number, language: Language): string {
  const power = Math.min(units.length - 1, bytes < 1000 ? 0 : Math.floor(Math.log10(bytes) / 3));
  const number = new Intl.NumberFormat(language, {
    style: "unit",
    unit: units[power] ?? "byte",
    unitDisplay: "short",
    maximumFractionDigits: power === 0 ? 0 : 1,
  });
  return number.format(bytes / 1000 ** power);
}
