import * as v from "valibot";
import { keyPredicate } from "../postgres/key-predicate.js";
import { Parameters, quoted, quotedTable, type Statement } from "../postgres/statement.js";
import { columnOf } from "../table/model.js";
import type { Asked, RuleKind } from "./rule.js";

interface Unique {
  /** The table's constraint; null where only the page demands it. */
  readonly constraint: string | null;
  readonly columns: readonly string[];
  readonly ignoringCase: boolean;
}

/**
 * Asks whether another record has these values already. The record itself does not count; a new one has none yet.
 *
 * It answers a row if so. Only a constraint of the table can promise that it stays so; this is for telling people early.
 *
 * @returns null where one of the values is missing: nothing equals null
 */
function takenStatement({ columns, ignoringCase }: Unique, { page, record, form }: Asked): Statement | null {
  const parameters = new Parameters();
  const same: string[] = [];
  for (const name of columns) {
    const [column, value = null] = [columnOf(page.table, name), form[name]];
    if (!column || value === null) return null;
    const [stored, given] = [`t.${quoted(name)}`, parameters.add(value, column.type.cast)];
    same.push(ignoringCase ? `lower(${stored}::text) = lower(${given}::text)` : `${stored} = ${given}`);
  }
  const itself = record ? ` AND NOT (${keyPredicate(page.key, record, parameters, "t")})` : "";
  return {
    purpose: "is it taken",
    text: `SELECT 'taken' AS "found" FROM ${quotedTable(page.table)} AS t\nWHERE ${same.join(" AND ")}${itself}\nLIMIT 1`,
    values: parameters.values,
  };
}

/** No other record has the value, or the values together. */
export const unique: RuleKind<Unique, true | "ignoring-case"> = {
  name: "unique",
  label: "Unique",
  inFile: {
    schema: v.union([v.literal(true), v.literal("ignoring-case")]),
    byName: true,
    first: true,
    parts: [
      {
        name: null,
        label: "How texts are compared",
        as: "options",
        options: [
          { value: "true", label: "exactly" },
          { value: "ignoring-case", label: "ignoring case" },
        ],
      },
    ],
    fits: "any",
    takes: "`true` or `ignoring-case`",
    means:
      "No other record has it. Without a constraint in the table it is asked before the save and can be outrun by somebody else; only a constraint can promise it.",
  },
  demandOf: (setting, column) => ({
    constraint: null,
    columns: [column.name],
    ignoringCase: setting === "ignoring-case",
  }),
  ofTable: (table, { name }) =>
    [...table.constraints.filter((each) => each.kind === "unique"), ...table.keys.filter((key) => key.primary)]
      .filter(({ columns }) => columns.includes(name))
      .map(({ constraint, columns }) => ({ constraint, columns, ignoringCase: false })),
  words: ({ columns, ignoringCase }) =>
    columns.length > 1 ? `unique together: ${columns.join(", ")}` : ignoringCase ? "unique, ignoring case" : "unique",
  lookUp: (demand, asked) => {
    const statement = takenStatement(demand, asked);
    return statement && { statement, brokenWhere: "found", code: "unique" };
  },
  counted: ({ ignoringCase }) => ({ by: "duplicates", ignoringCase }),
  enforcement: ({ constraint, ignoringCase }) => (constraint === null ? { by: "unique", ignoringCase } : null),
};
