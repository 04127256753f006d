import { hereStatement, truthsStatement } from "@loyal-quill/authoring";
import {
  answeredOr,
  asksFor,
  beforeARecord,
  type Condition,
  columnOf,
  type Database,
  type Facts,
  findTable,
  overStored,
  Parameters,
  parseCondition,
  predicate,
  referencedChoices,
  truthOf,
} from "@loyal-quill/core";
import type { BoundPageFile, Loaded } from "@loyal-quill/runtime";
import type { ConditionAnswer } from "./answers/sheet.js";

/** Where a condition stands: what it may ask for is told by that. */
type ConditionPlace = "open" | "row" | "form" | "choices";

export interface ConditionQuestion {
  readonly source: string;
  readonly place: ConditionPlace;
  /** The field whose choices it restricts. */
  readonly field?: string | undefined;
  /** The record that it is tried on. */
  readonly key?: readonly string[] | undefined;
}

/** Tables with more rows than this, as PostgreSQL believes, are counted by the census only. */
const mostRows = 300_000;

const nothing: Omit<ConditionAnswer, "problem"> = { here: null, sql: null, counted: null };

/** A condition as it is asked of all stored rows: what it asks of the form, it asks of the row. */
function asSql(condition: Condition, facts: Facts): ConditionAnswer["sql"] {
  const parameters = new Parameters();
  const text = predicate(overStored(condition), parameters, facts, "t");
  return { text, values: parameters.values };
}

/** What a condition is asked about, and where. */
interface Asked {
  readonly facts: Facts;
  readonly database: Database;
}

/** What a condition comes to: where it is wrong, or whether it holds for a record and for how many rows. */
export async function judgeCondition(
  question: ConditionQuestion,
  bound: BoundPageFile,
  loaded: Loaded,
  { facts, database }: Asked,
): Promise<ConditionAnswer> {
  const own = bound.parsed && findTable(loaded.catalog.tables, bound.parsed.file.record.table);
  if (!own) return { ...nothing, problem: { message: "The page's table is not known, so no name is.", offset: 0 } };
  const { place, source } = question;
  const column = columnOf(own, question.field ?? "");
  const table = place === "choices" ? column && referencedChoices(column, own, loaded.catalog.tables)?.table : own;
  if (!table) return { ...nothing, problem: { message: "This field has no choices of another table.", offset: 0 } };
  const parsed = parseCondition(source, table, place === "form" || place === "choices" ? own : null);
  if (!parsed.ok) return { ...nothing, problem: parsed.problem };
  const { condition } = parsed;
  if (place === "open" && asksFor(condition, "row"))
    return { ...nothing, problem: { message: beforeARecord.open, offset: source.indexOf("row") } };
  if (place === "open") return { ...nothing, problem: null, here: truthOf(condition.expression, facts) ?? "unknown" };
  // A choice that depends on the form has no meaning for all rows at once.
  if (place === "choices" && asksFor(condition, "form")) return { ...nothing, problem: null };
  const counted =
    (table.rows ?? 0) > mostRows
      ? null
      : (await answeredOr(() => database.run(truthsStatement(table, condition, facts)), [], "unanswered"))[0];
  return {
    problem: null,
    sql: asSql(condition, facts),
    here: place === "choices" ? null : await forRecord(condition, bound, question.key, { facts, database }),
    counted: counted
      ? { holds: Number(counted.holds), fails: Number(counted.fails), unknown: Number(counted.unknown) }
      : null,
  };
}

/** Whether a condition holds for one record, as if its form were sent untouched. */
async function forRecord(
  condition: Condition,
  { page }: BoundPageFile,
  key: readonly string[] | undefined,
  { facts, database }: Asked,
): Promise<ConditionAnswer["here"]> {
  if (!page || key?.length !== page.key.length) return null;
  const statement = hereStatement(page, key, condition, facts);
  const [row] = await answeredOr(() => database.run(statement), [], "unanswered");
  return row ? (row.here ? row.here === "true" : "unknown") : null;
}
