import { RE2JS } from "re2js";
import * as v from "valibot";
import type { MessageCode } from "../messages/catalog.js";
import type { CheckConstraint } from "../table/model.js";
import { isRequiredByTable } from "./required.js";
import type { RuleKind, Wrong } from "./rule.js";

export interface Pattern {
  readonly source: string;
  readonly compiled: RE2JS;
  /** What the table demands, in a few words, where it is the table's. */
  readonly ofTable?: string;
  /** What is said where it isn't matched and more can be said than that. */
  readonly code?: MessageCode;
  /** The text that it must start with, or contain. */
  readonly part?: string;
}

/** Whether a whole text fits a pattern, in time that grows with its length only (RE2); null where it is none that is known here. */
export function fitsPattern(source: string, text: string): boolean | null {
  try {
    return RE2JS.compile(source).matches(text);
  } catch {
    return null;
  }
}

/** A value of blanks alone does not match it. */
const notBlank = "[\\s\\S]*[^ ][\\s\\S]*";

/** What is said of texts that a table wants in a form of its own. */
const codes: ReadonlySet<string> = new Set<MessageCode>([
  "upper-case",
  "lower-case",
  "spaces-around",
  "must-start-with",
  "must-contain",
  "must-not-contain",
]);
const isCode = (text: string | undefined): text is MessageCode => text !== undefined && codes.has(text);

/** The first character that is none of those that the whole text is made of. */
function notContained({ source }: Pattern, value: string): Wrong {
  const part = [...value].find((character) => fitsPattern(source, character) === false) ?? "";
  return part.trim() === "" ? ["no-spaces", {}] : ["must-not-contain", { part }];
}

/** What the table demands; what can't be compiled is left to PostgreSQL. */
function ofCheck({ values: [source, ofTable = "not blank", form, part] }: CheckConstraint): readonly Pattern[] {
  const code = source === undefined ? "blank" : isCode(form) ? form : undefined;
  try {
    const compiled = RE2JS.compile(source ?? notBlank);
    return [
      {
        source: source ?? notBlank,
        compiled,
        ofTable,
        ...(code ? { code } : {}),
        ...(part === undefined ? {} : { part }),
      },
    ];
  } catch {
    return [];
  }
}

/**
 * The whole value matches a pattern. RE2 takes a time that grows with the text only, whatever the pattern: no input can make it
 * hang. PostgreSQL's own patterns are said in RE2's words where they can be; none of a page is proposed to the table.
 */
export const pattern: RuleKind<Pattern, string> = {
  name: "pattern",
  label: "Pattern",
  inFile: {
    schema: v.pipe(v.string(), v.minLength(1), v.maxLength(1000)),
    byName: false,
    first: ".*",
    parts: [{ name: null, label: "Pattern", as: "text" }],
    fits: ["text"],
    takes: "a pattern of RE2",
    means: "The whole value matches it.",
  },
  demandOf: (source, _, context, path) => {
    try {
      return { source, compiled: RE2JS.compile(source) };
    } catch (error) {
      return context.error("pattern", `This pattern can't be read: ${(error as Error).message}.`, path);
    }
  },
  ofTable: ({ demands }, column, control, empty) => {
    // A pattern judges the blanks with which PostgreSQL fills a `character(n)`, a person doesn't type them.
    if (column.type.kind !== "text" || column.type.cast === "bpchar") return [];
    // Whatever is required is not of blanks alone.
    const wanted = isRequiredByTable(column, control, empty) ? ["matches"] : ["matches", "not blank"];
    return demands.flatMap((each) => (each.column === column.name && wanted.includes(each.by) ? ofCheck(each) : []));
  },
  implied: ({ source }, others) => others.some((other) => other.source === source),
  words: ({ source, ofTable }) => ofTable ?? `pattern ${source}`,
  schema: ({ source }) => ({ pattern: `^(?:${source})$` }),
  broken(demand, { column, value }) {
    if (demand.compiled.matches(value ?? "")) return null;
    const { code = "pattern", part } = demand;
    // Not even one character of what is told to nobody.
    if (code === "must-not-contain" && column.sensitive) return ["pattern", {}];
    return code === "must-not-contain" ? notContained(demand, value ?? "") : [code, part === undefined ? {} : { part }];
  },
};
