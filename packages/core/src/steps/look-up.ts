import type { Facts } from "../condition/evaluate.js";
import type { Page, Rule } from "../page/page.js";
import { columnsOf } from "../page/rules.js";
import { type Database, DatabaseRefusal, type Row, type Statement } from "../postgres/statement.js";
import { existsStatement, offeredStatement, takenStatement } from "../statements/look-up.js";
import type { Problem } from "../views/form-view.js";
import { formValues, ruleMessage } from "./check.js";
import type { SubmittedField } from "./read.js";

/** Whether a statement finds something; a value that is none of the column's type finds nothing, the write will say why. */
async function finds(statement: Statement, database: Database): Promise<boolean> {
  try {
    return (await database.run(statement)).length > 0;
  } catch (error) {
    if (error instanceof DatabaseRefusal && error.sqlState.startsWith("22")) return false;
    throw error;
  }
}

/** The statement that tells whether a rule is broken, and whether finding something breaks it; null where nothing is to be asked. */
function question(
  rule: Rule,
  page: Page,
  key: readonly string[] | null,
  name: string,
  formNow: () => Row,
  facts: Facts,
): { statement: Statement; breaks: boolean } | null {
  if (rule.rule !== "unique" && rule.rule !== "offered" && rule.rule !== "exists") return null;
  const form = formNow();
  if (rule.rule === "unique") {
    const values = rule.columns.map((name) => form[name] ?? null);
    if (values.includes(null)) return null;
    return {
      statement: takenStatement(page, key, columnsOf(page.table, rule.columns), values, rule.ignoringCase),
      breaks: true,
    };
  }
  if (rule.rule === "offered") {
    const value = form[name] ?? null;
    return value === null
      ? null
      : { statement: offeredStatement(rule.choices, value, { ...facts, form }), breaks: false };
  }
  const values = rule.reference.columns.map((name) => form[name] ?? null);
  if (values.includes(null)) return null;
  return {
    statement: existsStatement(rule.reference, columnsOf(page.table, rule.reference.columns), values),
    breaks: false,
  };
}

/**
 * Asks the table about unique and existing values beforehand: always for what only the page demands, and for what the table
 * demands only when the form is refused anyway, so that all messages come at once.
 *
 * @param key null for a new record
 * @param known the problems found without the table; a field that has one is not asked about
 */
export async function lookUp(
  page: Page,
  key: readonly string[] | null,
  row: Row,
  fields: readonly SubmittedField[],
  known: readonly Problem[],
  facts: Facts,
  database: Database,
): Promise<readonly Problem[]> {
  let form: Row | undefined;
  const formNow = (): Row => (form ??= formValues(row, fields));
  const problems: Problem[] = [];
  for (const submitted of fields) {
    const { name } = submitted.field.column;
    if (!submitted.touched || known.some((problem) => problem.field === name)) continue;
    for (const rule of submitted.field.rules) {
      if (rule.by === "table" && known.length === 0) continue;
      const asked = question(rule, page, key, name, formNow, facts);
      if (!asked || (await finds(asked.statement, database)) !== asked.breaks) continue;
      problems.push({
        field: name,
        message: ruleMessage(
          page.language,
          rule,
          submitted.field,
          rule.rule === "offered" ? "not-on-offer" : rule.rule === "unique" ? "unique" : "exists",
        ),
      });
      break;
    }
  }
  return problems;
}
