import { isRefusedAs } from "../postgres/refusal.js";
import type { Database, Row, Statement } from "../postgres/statement.js";
import { kindOf } from "../rules/index.js";
import type { Trip } from "../trip/trip.js";
import type { Problem } from "../views/form-view.js";
import { formValues, ruleMessage } from "./check.js";
import type { SubmittedField } from "./read-field.js";
import { judgeTypes } from "./refusal.js";

/** Whether a statement finds something; a value that is none of the column's type finds nothing, the write will say why. */
async function finds(statement: Statement, database: Database): Promise<boolean> {
  try {
    return (await database.run(statement)).length > 0;
  } catch (error) {
    if (isRefusedAs(error, "bad value", "unreadable text")) return false;
    throw error;
  }
}

/**
 * Asks the table about unique and existing values beforehand: always for what only the page demands, and for what the table
 * demands only when the form is refused anyway, so that all messages come at once.
 *
 * @param known the problems found without the table; a field that has one is not asked about
 */
export async function lookUp(
  { page, key, facts, dependencies }: Trip,
  row: Row,
  fields: readonly SubmittedField[],
  known: readonly Problem[],
): Promise<readonly Problem[]> {
  let form: Row | undefined;
  const formNow = (): Row => (form ??= formValues(row, fields));
  const problems: Problem[] = [];
  for (const submitted of fields) {
    const { column } = submitted.field;
    const { name } = column;
    if (!submitted.touched || known.some((problem) => problem.field === name)) continue;
    // What only PostgreSQL can judge is judged where it would else be told only after the others.
    if (known.length > 0 && (column.type.kind === "time" || column.type.kind === "other")) {
      const wrong = await judgeTypes(page, [submitted], dependencies.database);
      problems.push(...wrong);
      if (wrong.length > 0) continue;
    }
    for (const rule of submitted.field.rules) {
      if (rule.from === "table" && known.length === 0) continue;
      const kind = kindOf(rule);
      const asked = kind.lookUp?.(rule.demand, {
        page,
        record: key.length > 0 ? key : null,
        column,
        form: formNow(),
        facts,
      });
      if (!asked || (await finds(asked.statement, dependencies.database)) !== (asked.brokenWhere === "found")) continue;
      const said = ruleMessage(page.language, rule, submitted.field, [asked.code, {}]);
      problems.push({ field: name, message: said, by: rule.rule });
      break;
    }
  }
  return problems;
}
