import { leavesRowsMark } from "../log/entry.js";
import { message } from "../messages/messages.js";
import type { Field, Page } from "../page/page.js";
import { namesIn } from "../postgres/answered.js";
import { refusalKind } from "../postgres/refusal.js";
import { type Database, DatabaseRefusal } from "../postgres/statement.js";
import { labelFrom } from "../settings/bound/label.js";
import { wordsFor } from "../settings/constraints.js";
import { keptOutMark } from "../statements/create.js";
import { judgeStatement } from "../statements/judge.js";
import { subjectStatement } from "../statements/subject.js";
import { columnOf, tableName } from "../table/model.js";
import type { Trip } from "../trip/trip.js";
import type { Problem } from "../views/form-view.js";
import { dependsOnForm } from "./offer.js";
import type { SubmittedField } from "./read-field.js";

/** A refusal as problems of the form. */
export interface Refused {
  readonly kind: "refused";
  readonly problems: readonly Problem[];
  /** What PostgreSQL said, for the recorded request. */
  readonly said: string;
}

/** What is recorded where a trigger answered an INSERT with no row. */
export const keptOutSaid = "a trigger answered the INSERT with no row";

/** Whether a statement refused itself, since the row that it wrote does not meet the page's `rows` condition. */
const leavesRows = (refusal: DatabaseRefusal): boolean => refusal.message.includes(leavesRowsMark);

/** What a refusal concerns: columns of the page's table, or another table. */
type Subject =
  | { readonly own: true; readonly columns: readonly string[]; readonly definition: string }
  | { readonly own: false; readonly table: string }
  /** Records of another table that refer to this one by these columns. */
  | { readonly own: "referred-to"; readonly table: string; readonly columns: readonly string[] };

/** As far as the model knows it; undefined where PostgreSQL has to be asked. */
function knownSubject({ table }: Page, { constraint, column, table: named }: DatabaseRefusal): Subject | undefined {
  const same = named === null || (named.schema === table.schema && named.name === table.name);
  if (!same) {
    const dependent = table.dependents.find(
      (each) => each.constraint === constraint && each.schema === named.schema && each.table === named.name,
    );
    return dependent && { own: "referred-to", table: dependent.table, columns: dependent.to };
  }
  const found = table.constraints.find((each) => each.constraint === constraint);
  const others = [...table.keys, ...table.references].find((each) => each.constraint === constraint);
  if (found && found.columns.length > 0) return { own: true, ...found };
  if (others) return { own: true, columns: others.columns, definition: "" };
  if (column !== null) return { own: true, columns: [column], definition: "" };
  return constraint === null || named === null
    ? { own: true, columns: [], definition: found?.definition ?? "" }
    : undefined;
}

async function subjectOf(page: Page, refusal: DatabaseRefusal, database: Database): Promise<Subject> {
  const known = knownSubject(page, refusal);
  const named = refusal.table;
  if (known || named === null) return known ?? { own: true, columns: [], definition: "" };
  const [row] = await database.run(subjectStatement(page.table, named, refusal.constraint));
  if (row?.own !== "true") {
    // What refers to one of the table's partitions is a constraint by another name.
    const to = namesIn(row?.to);
    return to.length > 0
      ? { own: "referred-to", table: named.name, columns: to }
      : { own: false, table: tableName(named) };
  }
  const columns = namesIn(row.columns);
  return {
    own: true,
    columns: columns.length > 0 || refusal.column === null ? columns : [refusal.column],
    definition: row.definition ?? "",
  };
}

/** The field of a form whose column is among the refusal's, what it is called, and the labels of the others. */
function fieldOf(
  page: Page,
  taken: readonly Field[],
  columns: readonly string[],
): { field: Field | undefined; label: string; others: string } {
  const fields = page.fields.filter((field) => columns.includes(field.column.name));
  // What was written stands first among those taken; of several, the one whose choices depend on the others is to be put right.
  const written = taken.filter((each) => fields.includes(each));
  const field = written.find(dependsOnForm) ?? written[0];
  const labelOf = (name: string): string =>
    fields.find((each) => each.column.name === name)?.label ?? (columnOf(page.table, name) ? labelFrom(name) : name);
  const [first, ...rest] = columns.filter((name) => name !== field?.column.name).map(labelOf);
  return field
    ? { field, label: field.label, others: [first, ...rest].filter(Boolean).join(", ") }
    : { field, label: first ?? "", others: rest.join(", ") };
}

/** A refusal in the page's own words, where it has some for the constraint, or else in ours. */
function problemOf(page: Page, taken: readonly Field[], refusal: DatabaseRefusal, subject: Subject): Problem {
  const problem = problemInOurWords(page, taken, refusal, subject);
  const own = wordsFor(page, refusal.constraint);
  return own ? { field: own.at ?? problem.field, message: own.message } : problem;
}

/** The names and values of a refusal stay in the database's log; what a person sees is made of the page's own labels. */
function problemInOurWords(page: Page, taken: readonly Field[], refusal: DatabaseRefusal, subject: Subject): Problem {
  const { language } = page;
  const said = refusal.message;
  if (subject.own === false)
    return {
      field: null,
      message: message(language, refusal.inside ? "trigger-elsewhere" : "refused-elsewhere", {
        table: subject.table,
        said,
      }),
    };
  const { field, label, others } = fieldOf(page, taken, subject.columns);
  const at = field?.column.name ?? null;
  if (subject.own === "referred-to")
    return { field: at, message: message(language, "referred-to", { label, table: labelFrom(subject.table) }) };
  const kind = refusalKind(refusal);
  switch (kind) {
    case "unique":
      return {
        field: at,
        message: others
          ? message(language, "unique-together", { label, others })
          : message(language, label === "" ? "unique-somehow" : "unique", { label }),
      };
    case "foreign key":
      return { field: at, message: message(language, "exists", { label }) };
    case "exclusion":
      return { field: at, message: message(language, label === "" ? "exclusion-somehow" : "exclusion", { label }) };
    case "not null":
      return { field: at, message: message(language, "not-null", { label }) };
    case "check": {
      const { definition } = subject;
      const constraint = refusal.constraint ?? "";
      return {
        field: at,
        message:
          definition === ""
            ? message(language, "check-unknown", { constraint })
            : message(language, "check", { constraint, definition }),
      };
    }
    default: {
      const isValue = kind === "bad value" || kind === "unreadable text";
      if (refusal.inside && (isValue || kind === "bad statement"))
        return { field: null, message: message(language, "trigger-failed", { said }) };
      return {
        field: null,
        message: message(language, isValue ? "value-out-of-range" : "refused-by-database", { said }),
      };
    }
  }
}

/** Whether a refusal of a value by itself is about the text: what is known of the statement is that it is sound. */
const isOfText = (error: DatabaseRefusal): boolean => /^(22|23|42|44|54|P0|0A)/.test(error.sqlState);

/**
 * The fields whose texts PostgreSQL does not take as values of their own types, each with what it says. A
 * text control holds any type, and only the database knows what an `inet`, a range or a domain of the developer's own is.
 */
export async function judgeTypes(
  page: Page,
  fields: readonly SubmittedField[],
  database: Database,
): Promise<readonly Problem[]> {
  const problems: Problem[] = [];
  for (const { field, value } of fields) {
    if (value === null) continue;
    try {
      await database.run(judgeStatement(field.column, value));
    } catch (error) {
      // A text search query that can't be read has the code of a statement that can't be (42601).
      if (!(error instanceof DatabaseRefusal) || !isOfText(error)) throw error;
      const said = error.message.replace(/\.$/, "");
      problems.push({
        field: field.column.name,
        message: field.message ?? message(page.language, "not-of-type", { label: field.label, said }),
      });
    }
  }
  return problems;
}

/** The row that was to be written does not meet the page's `rows` condition: said at the field that did it. */
function leftRowsProblem(page: Page, fields: readonly SubmittedField[], code: "rows-left" | "new-not-yours"): Problem {
  const asked = page.access.rows?.rowColumns ?? [];
  const field = fields.find((each) => each.sent && asked.includes(each.field.column.name))?.field;
  return {
    field: field?.column.name ?? null,
    message: message(page.language, code, { label: field?.label ?? "" }),
  };
}

/** A refusal as problems of the form: at the fields whose texts are none of their type, or else at what the constraint names. */
export async function refusalOf(
  { page, key, dependencies: { database } }: Trip,
  fields: readonly SubmittedField[],
  refusal: DatabaseRefusal,
): Promise<Refused> {
  if (leavesRows(refusal)) {
    const problem = leftRowsProblem(page, fields, key.length === 0 ? "new-not-yours" : "rows-left");
    return { kind: "refused", problems: [problem], said: `rows: ${page.access.rows?.source ?? ""}` };
  }
  if (refusal.message.includes(keptOutMark)) {
    const problem = { field: null, message: message(page.language, "new-kept") };
    return { kind: "refused", problems: [problem], said: keptOutSaid };
  }
  const judged = refusal.inside ? [] : await judgeTypes(page, fields, database);
  const taken = fields.map((each) => each.field);
  const others = page.fields.filter((field) => !field.readOnly && !taken.includes(field));
  const problems =
    judged.length > 0
      ? judged
      : [problemOf(page, [...taken, ...others], refusal, await subjectOf(page, refusal, database))];
  return { kind: "refused", problems, said: `${refusal.sqlState} ${refusal.message}` };
}

/** What the statement throws where it left the page's rows and could not refuse itself: a routine's save. */
export const leftRowsRefusal = (): DatabaseRefusal => new DatabaseRefusal("44000", leavesRowsMark);
