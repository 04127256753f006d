import type { Language } from "../messages/messages.js";
import { word } from "../messages/messages.js";
import type { Field } from "../page/page.js";
import type { Kind } from "../table/model.js";
import type { Option } from "../views/form-view.js";
import { misread } from "./read-csv.js";
import { mostInCell } from "./write-xlsx.js";

/*
 * What stands in the cells of a spreadsheet, and what a spreadsheet has made of it by itself: it takes zeros off numbers and adds others, writes days in
 * its own way, rounds long numbers, ends lines otherwise. None of this is a change that somebody has made.
 */

const numeric: ReadonlySet<Kind> = new Set(["integer", "decimal", "float"]);
const dated: ReadonlySet<Kind> = new Set(["date", "timestamp", "timestamptz"]);

interface Labels {
  readonly byValue: ReadonlyMap<string, string>;
  readonly byLabel: ReadonlyMap<string, string>;
}

/** Of each list of options: thousands of cells are held against one. */
const known = new WeakMap<readonly Option[], Labels>();

function labelsOf(options: readonly Option[]): Labels {
  const found = known.get(options);
  if (found) return found;
  const times = new Map<string, number>();
  for (const { label } of options) times.set(label, (times.get(label) ?? 0) + 1);
  const pairs = options.map(
    ({ value, label }) => [value, times.get(label) === 1 ? label : `${label} (${value})`] as const,
  );
  const labels = {
    byValue: new Map(pairs),
    byLabel: new Map(pairs.map(([value, label]) => [label.trim(), value])),
  };
  known.set(options, labels);
  return labels;
}

/** Labels that stand for several values are told apart by the values. */
export const labelOf = (options: readonly Option[], value: string): string | undefined =>
  labelsOf(options).byValue.get(value);

/** The value that a cell with a label stands for; undefined where it is none of the options. */
export function valueOfLabel(options: readonly Option[], cell: string): string | undefined {
  const typed = cell.trim();
  const { byLabel, byValue } = labelsOf(options);
  return byLabel.get(typed) ?? (byValue.has(typed) ? typed : undefined);
}

/** Yes and no, in the page's language and as spreadsheets write them. */
export function truthOf(cell: string, language: Language): string | undefined {
  const typed = cell.trim().toLowerCase();
  const yes = [word(language, "yes").toLowerCase(), "true", "yes", "wahr", "ja", "1"];
  const no = [word(language, "no").toLowerCase(), "false", "no", "falsch", "nein", "0"];
  return yes.includes(typed) ? "true" : no.includes(typed) ? "false" : undefined;
}

/** A number as PostgreSQL writes it: with a point, without marks between thousands; undefined where it is none, or two. */
export function numberIn(cell: string, hasDecimalComma: boolean): string | undefined {
  const text = cell.replaceAll(/[\s\u00a0\u202f']/g, "");
  if (!/^[+-]?[\d.,]*\d[\d.,]*(e[+-]?\d+)?$/i.test(text)) return undefined;
  const [points, commas] = [text.split(".").length - 1, text.split(",").length - 1];
  if (points > 0 && commas > 0) {
    const decimal = text.lastIndexOf(".") > text.lastIndexOf(",") ? "." : ",";
    return text.replaceAll(decimal === "." ? "," : ".", "").replace(",", ".");
  }
  if (commas > 1) return text.replaceAll(",", "");
  if (points > 1) return text.replaceAll(".", "");
  if (commas === 1) return hasDecimalComma || !/,\d{3}$/.test(text) ? text.replace(",", ".") : undefined;
  return text;
}

/** Whether two numbers are the same as far as a spreadsheet keeps them: 15 digits, or those that it shows in the notation with an exponent. */
function sameNumber(cell: string, shown: string): boolean {
  const [a, b] = [Number(cell), Number(shown)];
  if (!Number.isFinite(a) || !Number.isFinite(b)) return false;
  const [, mantissa = ""] = /^[+-]?([\d.]+)e/i.exec(cell) ?? [];
  const digits = mantissa === "" ? 15 : Math.min(15, Math.max(1, mantissa.replaceAll(/\D/g, "").length));
  return a.toPrecision(digits) === b.toPrecision(digits);
}

const months = ["jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec"];

/** What a text may mean as a day, each reading as `MM-DD` with its year where one is named; and its time of day. */
interface Readings {
  readonly days: readonly { readonly year: number | null; readonly day: string }[];
  readonly time: string | null;
}

const yearOf = (text: string | undefined): number | null =>
  text === undefined ? null : text.length <= 2 ? 2000 + Number(text) : Number(text);

const dayText = (month: number, day: number): string =>
  `${String(month).padStart(2, "0")}-${String(day).padStart(2, "0")}`;

function readingsOf(text: string): Readings {
  const [, date = "", time] = /^(.*?)(?:[T ,]+(\d{1,2}:\d\d(?::\d\d(?:\.\d+)?)?).*)?$/s.exec(text.trim()) ?? [];
  const at = time === undefined ? null : time.replace(/^\d:/, "0$&");
  const iso = /^(\d{4})-(\d{1,2})-(\d{1,2})$/.exec(date);
  if (iso) return { days: [{ year: Number(iso[1]), day: dayText(Number(iso[2]), Number(iso[3])) }], time: at };
  const two = /^(\d{1,2})[./-](\d{1,2})(?:[./-](\d{2}|\d{4}))?\.?$/.exec(date);
  if (two) {
    const [a, b, year] = [Number(two[1]), Number(two[2]), yearOf(two[3])];
    const both = [
      [a, b],
      [b, a],
    ].filter(([month = 0, day = 0]) => month >= 1 && month <= 12 && day >= 1 && day <= 31);
    return { days: both.map(([month = 0, day = 0]) => ({ year, day: dayText(month, day) })), time: at };
  }
  const named = /^(\d{1,2})[-. ]+([a-zä]{3})[a-zä]*\.?(?:[-. ]+(\d{2}|\d{4}))?$/i.exec(date);
  const month = months.indexOf((named?.[2] ?? "").toLowerCase()) + 1;
  return named && month > 0
    ? { days: [{ year: yearOf(named[3]), day: dayText(month, Number(named[1])) }], time: at }
    : { days: [], time: at };
}

/** Whether two times of day are the same as far as a spreadsheet keeps them: one that shows no seconds has not changed them, parts of a second are rounded. */
function sameTime(cell: string, shown: string): boolean {
  if (cell.length <= 5) return cell === shown.slice(0, 5);
  const inSeconds = (time: string): number =>
    time
      .padEnd(8, ":00")
      .split(":")
      .reduce((all, part) => all * 60 + Number(part), 0);
  const between = Math.abs(inSeconds(cell) - inSeconds(shown));
  return (cell + shown).includes(".") ? between < 1 : between === 0;
}

/** Whether two texts may be the same day, and at the same time where both name one. */
function sameDay(cell: string, shown: string): boolean {
  const [a, b] = [readingsOf(cell), readingsOf(shown)];
  if (a.time !== null && b.time !== null && !sameTime(a.time, b.time)) return false;
  return a.days.some((one) =>
    b.days.some(({ year, day }) => day === one.day && (year === null || one.year === null || year === one.year)),
  );
}

/** A text with its lines ended by LF, and without the apostrophe that keeps it from being taken for a formula. */
export const plainCell = (cell: string): string =>
  cell.replaceAll(/\r\n?/g, "\n").replace(/^'(?=[\s=+\-@＝＋－＠])/u, "");

/** A text as programs save it that drop tabs and what else has no place in a cell. */
const withoutControls = (text: string): string => [...text].filter((sign) => sign === "\n" || sign >= " ").join("");

/** How numbers and words are written in a file. */
interface CellWay {
  readonly language: Language;
  readonly hasDecimalComma: boolean;
}

/**
 * Whether a cell holds what was shown, as far as a spreadsheet leaves that alone.
 *
 * @param shown what the field's control would show
 */
export function isAsShown(
  cell: string,
  shown: string,
  { column }: Pick<Field, "column">,
  { language, hasDecimalComma, options }: CellWay & { readonly options: readonly Option[] },
): boolean {
  const text = plainCell(cell);
  if (text === shown || cell === shown) return true;
  if (text === misread(shown) || text === withoutControls(shown)) return true;
  if (cell.length >= mostInCell && shown.startsWith(cell.slice(0, mostInCell))) return true;
  if (valueOfLabel(options, text) === shown || labelOf(options, shown)?.trim() === text.trim()) return true;
  const { kind } = column.type;
  if (kind === "boolean") return truthOf(text, language) === shown;
  if (text.trim() === "" || shown.trim() === "") return text.trim() === shown.trim() && kind !== "text";
  if (dated.has(kind)) return sameDay(text, shown);
  const [typed, was] = [numberIn(text, hasDecimalComma), numberIn(shown, language === "de")];
  if (typed !== undefined && was !== undefined && sameNumber(typed, was)) return true;
  // Where a text looks like a number or a day, a spreadsheet makes one of it.
  return !numeric.has(kind) && sameDay(text, shown);
}

/** The text that a form would send for a typed cell; a day that could be two is left as it was typed, and so refused. */
export function typedText(
  cell: string,
  { column }: Pick<Field, "column">,
  { language, hasDecimalComma }: CellWay,
): string {
  const text = plainCell(cell);
  const { kind } = column.type;
  if (text.trim() === "") return kind === "text" ? text : "";
  if (numeric.has(kind)) {
    const number = numberIn(text, hasDecimalComma) ?? text;
    return language === "de" && kind !== "integer" ? number.replace(".", ",") : number;
  }
  if (dated.has(kind)) {
    const { days, time } = readingsOf(text);
    const [day] = days;
    const isPlain = days.length === 1 || new Set(days.map((each) => each.day)).size === 1;
    if (!day || day.year === null || !isPlain || !/^\d{4}-|^\d{1,2}[./-]/.test(text.trim())) return text;
    const clock = /\d{1,2}:\d\d(?::\d\d(?:\.\d+)?)?/.exec(text)?.[0] ?? time;
    return `${String(day.year).padStart(4, "0")}-${day.day}${kind === "date" || !clock ? "" : `T${clock.replace(/^\d:/, "0$&")}`}`;
  }
  return text;
}
