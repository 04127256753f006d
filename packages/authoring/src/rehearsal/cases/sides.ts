import { isMade } from "@loyal-quill/core/page/columns";
import type { Field, Page } from "@loyal-quill/core/page/page";
import type { Row, Stored } from "@loyal-quill/core/postgres/statement";
import { kindOf } from "@loyal-quill/core/rules/index";
import type { Rule } from "@loyal-quill/core/rules/rule";
import { tidy } from "@loyal-quill/core/steps/read-field";
import { leaveOut, NotJudged } from "../case.js";
import { type Prepared, typedOf } from "../prepare.js";
import { asTypedAgain, otherValues } from "./making.js";

/** A text to type, and the value that it stands for; null where nothing is to be stored. */
interface Try {
  readonly typed: string;
  readonly value: Stored;
}

/** Just inside and just outside of what a rule demands; a side is left out where nothing is known for it. */
export interface Sides {
  readonly inside: readonly Try[];
  readonly outside: readonly Try[];
}

/** The next number in a column's scale. */
export function beside(bound: string, by: 1 | -1, scale: number): string | null {
  const [, sign = "", whole = "", part = ""] = /^(-?)(\d{1,30})(?:\.(\d+))?$/.exec(bound) ?? [];
  if (whole === "") return null;
  const digits = Math.max(scale, part.length);
  const scaled = BigInt(`${sign}${whole}${part.padEnd(digits, "0")}`) + BigInt(by);
  const text = (scaled < 0n ? -scaled : scaled).toString().padStart(digits + 1, "0");
  return `${scaled < 0n ? "-" : ""}${digits > 0 ? `${text.slice(0, -digits)}.${text.slice(-digits)}` : text}`;
}

const nextDay = (date: string, by: 1 | -1): string =>
  new Date(Date.parse(`${date}T00:00:00Z`) + by * 86_400_000).toISOString().slice(0, 10);

function besideBound(field: Field, bound: string, by: 1 | -1): string | null {
  const { kind, scale } = field.column.type;
  if (kind === "date") return /^\d{4}-\d\d-\d\d$/.test(bound) ? nextDay(bound, by) : null;
  return beside(bound, by, kind === "integer" ? 0 : (scale ?? 6));
}

export const texts = (page: Page, field: Field, values: readonly (string | null)[]): Try[] =>
  values.flatMap((value) => (value === null ? [] : [{ value, typed: typedOf(page, field, value) }]));

const asIs = (...typed: readonly string[]): Try[] => typed.map((each) => ({ typed: each, value: each }));

const fill = (length: number): string => "abcdefghij".repeat(Math.ceil(length / 10)).slice(0, length);

/** Whether what is stored is no value to a person: left so, it is no change. */
export const isBlank = (stored: Stored | undefined): boolean => (stored ?? "").trim() === "";

/** Whether blanks that are typed are blanks that are judged. */
const staysBlank = (field: Field): boolean => !isMade(field) && tidy(field, "   ") === "   ";

/** Where no two records may have the same value, those that none has stand first. */
function untaken({ rows }: Prepared, { column, rules }: Field, values: readonly string[]): readonly string[] {
  if (!rules.some(({ rule }) => rule === "unique")) return values;
  const taken = new Set(rows.map(({ row }) => row[column.name]));
  return values.toSorted((a, b) => Number(taken.has(a)) - Number(taken.has(b)));
}

/** Texts of which most patterns refuse one: a sign, several words, capitals, digits, a space at an end. */
const strange = ["~", "no such thing", "\u{1F30A}", "No such thing", "x ", "0", ..."|<>@;,:/\\\"'#%_-+*.!?"];
const mostOutside = 4;

/** What is tried for one rule. */
export function sidesOf(prepared: Prepared, field: Field, { rule, demand }: Rule, row: Row): Sides | string {
  const { page, rows } = prepared;
  const { name, type } = field.column;
  const own = row[name] ?? null;
  const others = otherValues(prepared, field, row);
  switch (rule) {
    case "required":
      if (isMade(field)) leaveOut("Left empty, it is made of another field.");
      if (isBlank(own)) throw new NotJudged("The record has no value there, and may be left so.");
      return { inside: [], outside: asIs("").concat(type.kind === "text" ? asIs("   ") : []) };
    case "min-length": {
      const least = demand as number;
      return { inside: asIs(fill(least)), outside: least > 1 ? asIs(fill(least - 1)) : [] };
    }
    case "max-length": {
      const most = demand as number;
      return { inside: asIs(fill(most)), outside: asIs(fill(most + 1), `${fill(most - 1)}\u{1F30A}x`) };
    }
    case "min":
    case "max": {
      const { bound, ofType } = demand as { bound: string; ofType?: true };
      const out = rule === "min" ? -1 : 1;
      if (ofType) return { inside: [], outside: texts(page, field, [beside(bound, out, 0)]) };
      return {
        inside: texts(page, field, [bound, besideBound(field, bound, out === 1 ? -1 : 1)]),
        outside: texts(page, field, [besideBound(field, bound, out)]),
      };
    }
    case "scale": {
      const digits = demand as number;
      if (digits < 0) leaveOut("The table rounds before the point.");
      return { inside: [], outside: texts(page, field, [`1.${"0".repeat(digits)}1`]) };
    }
    case "step":
      return {
        inside: texts(page, field, [String(demand)]),
        // Beside what is stored, so that nothing else stands against it.
        outside: texts(page, field, [beside(own ?? String(demand), 1, type.scale ?? 3)]).filter(
          ({ value }) => kindOf({ rule }).broken?.(demand, { column: field.column, value, text: value ?? "" }) !== null,
        ),
      };
    case "pattern":
    case "e-mail":
    case "web-address":
    case "telephone":
    case "one-of":
      return {
        inside: texts(page, field, others.length > 0 ? untaken(prepared, field, others).slice(0, 2) : [own]),
        outside: asIs(...(staysBlank(field) ? ["   "] : []), ...strange)
          .filter(({ typed }) => {
            const text = tidy(field, typed);
            return kindOf({ rule }).broken?.(demand, { column: field.column, value: text, text }) !== null;
          })
          .slice(0, mostOutside),
      };
    case "unique": {
      const { columns } = demand as { columns: readonly string[] };
      const isFree = (value: string): boolean => rows.every((each) => each.row[name] !== value);
      const taken = rows.find(
        (each) =>
          each.row[name] !== own &&
          each.row[name] !== null &&
          asTypedAgain(page, field, each.row[name] ?? "") === each.row[name] &&
          // Where one of the values is missing, nothing is taken.
          columns.every((column) => column === name || (row[column] !== null && each.row[column] === row[column])),
      );
      return {
        inside: texts(page, field, own === null ? others.filter((each) => isFree(each)).slice(0, 1) : [own]),
        outside: texts(page, field, [taken?.row[name] ?? null]),
      };
    }
    case "exists":
    case "offered": {
      const { columns = [name] } = demand as { columns?: readonly string[] };
      const beside = columns.filter((column) => column !== name);
      if (beside.some((column) => row[column] === null))
        leaveOut("Part of the reference is empty, so it names nothing.");
      const missing =
        type.kind === "integer"
          ? "2147483000"
          : type.kind === "uuid"
            ? "00000000-0000-4000-8000-000000000000"
            : "~none~";
      // Of a reference of several columns one alone can't be changed to another record's.
      const left = own === null ? [] : [own];
      const known = beside.length > 0 || others.length === 0 ? left : others.slice(0, 2);
      return { inside: texts(page, field, known), outside: asIs(missing.slice(0, type.maxLength ?? 36)) };
    }
    default:
      return `A rehearsal has nothing to try for ${rule}.`;
  }
}
