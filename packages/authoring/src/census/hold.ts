import { type Condition, type Expression, everyPart } from "@loyal-quill/core/condition/expression";
import { noFacts } from "@loyal-quill/core/condition/facts";
import { overStored } from "@loyal-quill/core/condition/over-stored";
import { predicate } from "@loyal-quill/core/condition/to-sql";
import type { SchemaChange } from "@loyal-quill/core/findings/schema-change";
import { literal } from "@loyal-quill/core/postgres/literal";
import { Parameters, quoted, quotedTable } from "@loyal-quill/core/postgres/statement";
import { kindOf } from "@loyal-quill/core/rules/index";
import type { Rule } from "@loyal-quill/core/rules/rule";
import type { Column, Table } from "@loyal-quill/core/table/model";

/** A name for a constraint: at most 63 bytes, as PostgreSQL takes them. */
function constraintName(table: Table, column: string, kind: string): string {
  const plain = `${table.name}_${column}_${kind}`.toLowerCase().replaceAll(/[^a-z0-9_]+/g, "_");
  return plain.slice(0, 63);
}

/** Adds a constraint without looking at the rows that are there, then looks at them without keeping anybody from writing. */
function inTwoSteps(table: Table, name: string, definition: string): string {
  const target = quotedTable(table);
  return [
    `ALTER TABLE ${target} ADD CONSTRAINT ${quoted(name)} ${definition} NOT VALID;`,
    `ALTER TABLE ${target} VALIDATE CONSTRAINT ${quoted(name)};`,
  ].join("\n");
}

const dropConstraint = (table: Table, name: string): string =>
  `ALTER TABLE ${quotedTable(table)} DROP CONSTRAINT ${quoted(name)};`;

function check(table: Table, column: string, kind: string, predicateText: string): SchemaChange {
  const name = constraintName(table, column, kind);
  return { name, up: inTwoSteps(table, name, `CHECK (${predicateText})`), down: dropConstraint(table, name) };
}

function notNull(table: Table, column: Column): SchemaChange {
  const name = constraintName(table, column.name, "is_there");
  const target = quotedTable(table);
  // With the validated CHECK in place, SET NOT NULL need not look at the rows again (PostgreSQL documentation, ALTER TABLE).
  const up = [
    inTwoSteps(table, name, `CHECK (${quoted(column.name)} IS NOT NULL)`),
    `ALTER TABLE ${target} ALTER COLUMN ${quoted(column.name)} SET NOT NULL;`,
    dropConstraint(table, name),
  ].join("\n");
  return { name, up, down: `ALTER TABLE ${target} ALTER COLUMN ${quoted(column.name)} DROP NOT NULL;` };
}

function unique(table: Table, column: Column, ignoringCase: boolean): SchemaChange {
  const name = constraintName(table, column.name, ignoringCase ? "unique_ignoring_case" : "unique");
  const target = quotedTable(table);
  if (ignoringCase)
    return {
      name,
      up: `CREATE UNIQUE INDEX CONCURRENTLY ${quoted(name)} ON ${target} (lower(${quoted(column.name)}::text));`,
      down: `DROP INDEX CONCURRENTLY ${quoted(table.schema)}.${quoted(name)};`,
    };
  const up = [
    `CREATE UNIQUE INDEX CONCURRENTLY ${quoted(name)} ON ${target} (${quoted(column.name)});`,
    `ALTER TABLE ${target} ADD CONSTRAINT ${quoted(name)} UNIQUE USING INDEX ${quoted(name)};`,
  ].join("\n");
  return { name, up, down: dropConstraint(table, name) };
}

/**
 * The statements that would make a table hold a rule by itself; null where a constraint can't say it. A rule with a condition
 * holds where the condition does.
 */
export function holdRule(rule: Rule, table: Table, column: Column): SchemaChange | null {
  if (rule.when) return null;
  const enforcement = kindOf(rule).enforcement?.(rule.demand, column);
  switch (enforcement?.by) {
    case "check":
      return check(table, column.name, enforcement.name, enforcement.check);
    case "not null":
      return notNull(table, column);
    case "unique":
      return unique(table, column, enforcement.ignoringCase);
    default:
      return null;
  }
}

const isOfTheRow = (expression: Expression): boolean =>
  everyPart(expression).every((part) => part.op !== "actor" && part.op !== "now");

/** The statements that would make a table hold a check across fields; null where it asks for who asks, or for now. */
export function holdCheck(condition: Condition, table: Table): SchemaChange | null {
  const stored = overStored(condition);
  if (!isOfTheRow(stored.expression) || stored.rowColumns.length === 0) return null;
  const parameters = new Parameters();
  const text = predicate(stored, parameters, noFacts, "t")
    // A CHECK knows its own columns only.
    .replaceAll(/\bt\.(?=")/g, "")
    .replaceAll(/\$(\d+)/g, (_, number: string) => literal(parameters.values[Number(number) - 1] ?? null));
  return check(table, stored.rowColumns.join("_"), "check", text);
}
