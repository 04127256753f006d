import * as v from "valibot";
import { quoted } from "../postgres/statement.js";
import { castText } from "../postgres/text-form.js";
import type { Column, Table } from "../table/model.js";
import { demandsOf, type RuleKind, takeOffRule } from "./rule.js";

/** The most characters that a table takes for a column, by its type and its CHECKs; a text has at least as many bytes as characters. */
export function mostCharacters({ demands }: Pick<Table, "demands">, { name, type }: Column): number | null {
  // The blanks with which a `character(n)` is filled are not counted by PostgreSQL.
  if (type.kind !== "text" || type.cast === "bpchar") return type.maxLength;
  const checked = demands.flatMap(({ column, by, values: [most] }) =>
    column === name && (by === "characters <=" || by === "bytes <=") ? [Number(most)] : [],
  );
  const most = Math.min(type.maxLength ?? Number.POSITIVE_INFINITY, ...checked);
  return Number.isFinite(most) ? most : null;
}

/** At most so many characters (code points), as `varchar(n)` counts them. */
export const maxLength: RuleKind<number, number> = {
  name: "max-length",
  label: "Maximum length",
  inFile: {
    schema: v.pipe(v.number(), v.integer(), v.minValue(1)),
    byName: false,
    first: 100,
    parts: [{ name: null, label: "Characters", as: "count" }],
    fits: ["text"],
    takes: "a whole number",
    means: "At most so many characters.",
  },
  demandOf: (setting) => setting,
  ofTable: (table, column, control) => {
    const most = control === "file" ? column.type.maxLength : mostCharacters(table, column);
    return most === null ? [] : [most];
  },
  implied: (characters, others) => others.some((other) => other < characters),
  words: (characters) => `at most ${characters} characters`,
  broken: (limit, { text }) => {
    const given = [...text].length;
    return given > limit ? ["max-length", { given, limit }] : null;
  },
  schema: (characters) => ({ maxLength: characters }),
  review: (characters, { rules, path, say }) => {
    const most = Math.min(
      ...demandsOf(rules, maxLength).flatMap((each) => (each.from === "table" ? [each.demand] : [])),
    );
    if (characters > most)
      say("warning", "looser-than-table", `The table takes ${most} characters at most, the rule ${characters}.`, path, {
        repair: takeOffRule(path),
      });
  },
  counted: (characters, column) => ({
    by: "predicate",
    refused: (parameters) =>
      `char_length(${castText(`t.${quoted(column.name)}`, column)}) > ${parameters.add(String(characters), "integer")}`,
  }),
  enforcement: (characters, column) => ({
    by: "check",
    name: "most_length",
    check: `char_length(${quoted(column.name)}) <= ${characters}`,
  }),
};
