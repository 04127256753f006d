import type { Facts } from "../condition/facts.js";
import { predicate } from "../condition/to-sql.js";
import { addChange, type LogNote, undonePlace, whoAndWhere } from "../log/entry.js";
import type { Page, RoutineCall } from "../page/page.js";
import { keyPredicate } from "../postgres/key-predicate.js";
import { Parameters, quoted, quotedTable, type Statement, type Stored } from "../postgres/statement.js";
import { textForm } from "../postgres/text-form.js";
import { versionName } from "./load.js";
import { type Guard, guarded } from "./save.js";

/** Locks one record by key, access conditions and guard, and answers it whole: the first statement of a save by a routine. */
export function lockStatement(page: Page, key: readonly string[], guard: Guard, facts: Facts): Statement {
  const parameters = new Parameters();
  const where = [keyPredicate(page.key, key, parameters, "t"), ...guarded(guard, parameters)];
  for (const condition of [page.access.rows, page.access.edit]) {
    if (condition) where.push(predicate(condition, parameters, facts, "t"));
  }
  return {
    purpose: "lock",
    writes: true,
    text: `${wholeRow(page)}\nWHERE ${where.join("\n  AND ")}\nFOR NO KEY UPDATE`,
    values: parameters.values,
  };
}

/** The name under which travels whether a row meets the page's `rows` condition. */
export const remainsName = "quill:remains";

/** Reads a record whole, whatever its state: the row after a routine has run, and whether it is still one of the actor's. */
export function afterStatement(page: Page, key: readonly string[], facts: Facts): Statement {
  const parameters = new Parameters();
  const remains = page.access.rows
    ? `, ((${predicate(page.access.rows, parameters, facts, "t")}) IS TRUE)::text AS ${quoted(remainsName)}`
    : "";
  return {
    purpose: "look at it afterwards",
    text: `${wholeRow(page, remains)}\nWHERE ${keyPredicate(page.key, key, parameters, "t")}`,
    values: parameters.values,
  };
}

const wholeRow = (page: Page, more = ""): string =>
  `SELECT ${page.table.columns.map((column) => `${textForm("t", column)} AS ${quoted(column.name)}`).join(", ")}, t.xmin::text AS ${quoted(versionName)}${more}\nFROM ${quotedTable(page.table)} AS t`;

/** Calls the routine with its arguments by name (PostgreSQL documentation, 4.3.2). What it answers is not used. */
export function callStatement({ routine, arguments: given }: RoutineCall, values: readonly Stored[]): Statement {
  const parameters = new Parameters();
  const named = given.map(
    ({ parameter }, index) =>
      `${quoted(parameter.name ?? "")} => ${parameters.add(values[index] ?? null, parameter.type.cast)}`,
  );
  const call = `${quotedTable(routine)}(${named.join(", ")})`;
  return {
    purpose: "save by routine",
    writes: true,
    text: routine.kind === "procedure" ? `CALL ${call}` : `SELECT FROM ${call}`,
    values: parameters.values,
  };
}

/** The log entry of a change that was found by comparing the row before and after. */
export function entryStatement(
  page: Page,
  note: LogNote,
  change: {
    readonly operation: "update" | "delete";
    readonly key: Readonly<Record<string, Stored>>;
    readonly newKey: Readonly<Record<string, Stored>> | null;
    readonly fields: readonly { readonly field: string; readonly old: Stored; readonly new: Stored }[];
    readonly reason: string;
  },
): Statement {
  const parameters = new Parameters();
  const call = addChange({
    who: whoAndWhere(page, note, parameters),
    key: parameters.add(JSON.stringify(change.key), "jsonb"),
    operation: parameters.add(change.operation, "text"),
    fields: parameters.add(JSON.stringify(change.fields), "jsonb"),
    request: parameters.add(note.requestId, "uuid"),
    reason: parameters.add(note.reason ?? change.reason, "text"),
    newKey: parameters.add(change.newKey && JSON.stringify(change.newKey), "jsonb"),
    undoes: undonePlace(note, parameters),
  });
  return {
    purpose: "log",
    writes: true,
    text: `SELECT ${call}::text AS "entry"`,
    values: parameters.values,
  };
}
