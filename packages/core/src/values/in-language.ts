import type { Language } from "../messages/messages.js";
import type { Kind } from "../table/model.js";

/** How numbers and days are written in a language (CLDR), where that is another way than PostgreSQL's own text form. */
interface Way {
  /** What stands before the decimals, and between thousands. */
  readonly decimal: "." | ",";
  readonly thousands: "." | ",";
  /** Whether days are written as day, month and year with points. */
  readonly dayFirst: boolean;
  /** Other digits that may be typed, from zero to nine, and their decimal point. */
  readonly digits?: string;
}

const ways: Readonly<Record<Language, Way>> = {
  en: { decimal: ".", thousands: ",", dayFirst: false },
  de: { decimal: ",", thousands: ".", dayFirst: true },
  ar: { decimal: ".", thousands: ",", dayFirst: false, digits: "٠١٢٣٤٥٦٧٨٩" },
};

const isDecimal = (kind: Kind): boolean => kind === "decimal" || kind === "float";
const isDated = (kind: Kind): boolean => kind === "date" || kind === "timestamp" || kind === "timestamptz";

/** Whether values of a kind are written in a way of the language's own. */
export const hasOwnWay = (kind: Kind, language: Language): boolean =>
  (isDecimal(kind) && ways[language].decimal !== ".") || (isDated(kind) && ways[language].dayFirst);

/** The beginning of a text that is a day of four-digit years: what follows is the time of day. */
const isoDay = /^(\d{4})-(\d\d)-(\d\d)(?=$| \d)/;

/** A stored number, day or moment as the language writes it, digit by digit. */
export function inLanguage(kind: Kind, stored: string, language: Language): string {
  const { decimal, dayFirst } = ways[language];
  if (isDecimal(kind)) return decimal === "." ? stored : stored.replace(".", decimal);
  return isDated(kind) && dayFirst ? stored.replace(isoDay, "$3.$2.$1") : stored;
}

/** How a language writes a day, with its year, month and day as `$1` to `$3`. */
export const dayPattern = (language: Language): string => (ways[language].dayFirst ? "$3.$2.$1" : "$1-$2-$3");

/** The same as an SQL expression over the text form. */
export function inLanguageSql(kind: Kind, text: string, language: Language): string {
  if (!hasOwnWay(kind, language)) return text;
  if (isDecimal(kind)) return `replace(${text}, '.', '${ways[language].decimal}')`;
  return `regexp_replace(${text}, '^(\\d{4})-(\\d\\d)-(\\d\\d)(?=$| \\d)', '\\3.\\2.\\1')`;
}

/** A typed number in PostgreSQL's way; `ambiguous` where it could be read as two numbers, or is written in another language's way. */
type TypedNumber = { readonly text: string } | "ambiguous";

/**
 * A typed number. A mark between thousands is taken where the text leaves no doubt that it is one: where the decimals have theirs too, or it
 * stands more than once.
 */
export function numberFrom(typed: string, language: Language): TypedNumber {
  const { decimal, thousands, digits } = ways[language];
  const text = digits
    ? typed.replaceAll(/[٠-٩]/g, (digit) => String(digits.indexOf(digit))).replaceAll("٫", ".")
    : typed;
  if (!text.includes(thousands)) return { text: text.replace(decimal, ".") };
  const mark = thousands === "." ? "\\." : ",";
  const point = decimal === "." ? "\\." : ",";
  const grouped = new RegExp(`^[+-]?\\d{1,3}(?:(?:${mark}\\d{3}){2,}(?:${point}\\d*)?|${mark}\\d{3}${point}\\d*)$`);
  return grouped.test(text) ? { text: text.replaceAll(thousands, "").replace(decimal, ".") } : "ambiguous";
}

/** A typed day or moment in PostgreSQL's way; one that is written so already stays. */
export function dayFrom(typed: string, language: Language): string {
  const { dayFirst, digits } = ways[language];
  const text = digits ? typed.replaceAll(/[٠-٩]/g, (digit) => String(digits.indexOf(digit))) : typed;
  if (!dayFirst) return text;
  return text
    .replace(
      /^(\d{1,2})\.(\d{1,2})\.(\d{4})(?=$|[T ,])[T ,]*/,
      (_, day: string, month: string, year: string) => `${year}-${month.padStart(2, "0")}-${day.padStart(2, "0")} `,
    )
    .trimEnd();
}

/** What is said of a number that can't be told: how it is written in the language. */
export const ambiguousCode = (language: Language): "decimal-comma" | "decimal-point" =>
  ways[language].decimal === "." ? "decimal-comma" : "decimal-point";
