import type { Condition } from "../../condition/expression.js";
import { parseCondition } from "../../condition/parse.js";
import type { Choices, TableChoices } from "../../controls/choice-source.js";
import { looksSecret } from "../../table/looks-secret.js";
import { type Column, columnOf, type Reference, type Table, tableName } from "../../table/model.js";
import { suggestion } from "../../values/nearest.js";
import type { FieldContext } from "../context.js";

/** Above this many rows (as PostgreSQL estimates them) a choice is made by searching, where the page does not say otherwise. */
const mostListed = 200;

/** What a column is called that tells people which record it is, what tells most first. */
const tellingNames = [
  /^(full|display|complete|long)_?names?$/i,
  // Who is called Mary is one of many.
  /^(?!.*(first|given|middle|fore|nick|maiden|file|user|login|host)).*(name|title|label)/i,
  /name|title|label/i,
];

/** Names of people in parts. */
const personal = /(first|given|fore|sur|last|family)_?name/i;

/** Whether it is a title before somebody's name: Mrs, Dr. */
const isHonorific = (table: Table, { name }: Column): boolean =>
  /^(title|prefix|salutation)$/i.test(name) && table.columns.some((column) => personal.test(column.name));

/** What nobody reads is told by when it was, where that is known. */
const momentOf = (table: Table, key: Column): Column | undefined =>
  key.type.kind === "uuid"
    ? table.columns.find(
        ({ type, nullable, default: given }) =>
          ["date", "timestamp", "timestamptz"].includes(type.kind) && !nullable && given === null,
      )
    : undefined;

/**
 * The column of a referenced table that tells people most: a name, then another required text, then the key itself (for a uuid when it was); never what
 * looks like a secret.
 */
export function tellingColumn(table: Table, key: Column): Column {
  const texts = table.columns.filter(
    (column) =>
      column.type.kind === "text" &&
      // What the table makes of other columns is there, although nothing says that it may not be null.
      (!column.nullable || column.written === "always") &&
      !looksSecret(column) &&
      !isHonorific(table, column),
  );
  const named = tellingNames.map((called) => texts.find((column) => called.test(column.name)));
  // What names another record says little of this one.
  const refers = ({ name }: Column): boolean => table.references.some(({ columns }) => columns.includes(name));
  const own = texts.find((column) => !refers(column)) ?? texts[0];
  return named.find((column) => column !== undefined) ?? own ?? momentOf(table, key) ?? key;
}

/** One column equals another one's value on the form. */
const equals = (theirs: Column, ours: Column) =>
  ({
    op: "compare",
    by: "==",
    type: theirs.type.kind,
    left: { op: "column", from: "row", column: theirs },
    right: { op: "column", from: "form", column: ours },
  }) as const;

/**
 * A foreign key of several columns makes its last ones depend on the others: of a sensor's channels those of the chosen
 * station. Null where none of the other columns has a counterpart.
 */
function within(reference: Reference, column: Column, table: Table, target: Table): Condition | null {
  const pairs = reference.columns.flatMap((name, index) => {
    const [ours, theirs] = [columnOf(table, name), columnOf(target, reference.to.columns[index] ?? "")];
    return name === column.name || !ours || !theirs ? [] : [{ ours, theirs }];
  });
  const [first, ...others] = pairs;
  if (!first) return null;
  return {
    source: pairs.map(({ ours, theirs }) => `row.${theirs.name} == form.${ours.name}`).join(" && "),
    expression: others.reduce<Condition["expression"]>(
      (left, { ours, theirs }) => ({ op: "and", left, right: equals(theirs, ours) }),
      equals(first.theirs, first.ours),
    ),
    rowColumns: pairs.map(({ theirs }) => theirs.name),
    formColumns: pairs.map(({ ours }) => ours.name),
  };
}

/** The foreign key that a column's choices come from: one of the column alone, or one whose other columns have keys of their own. */
function referenceOf(column: Column, table: Table): Reference | undefined {
  const alone = (name: string): Reference | undefined =>
    table.references.find((each) => each.columns.length === 1 && each.columns[0] === name);
  const several = table.references.find(
    (each) =>
      each.columns.length > 1 &&
      each.columns.includes(column.name) &&
      each.columns.every((name) => name === column.name || alone(name) !== undefined),
  );
  return alone(column.name) ?? several;
}

/** The records that a foreign key lets a column choose from, without what a page says; null where there is none. */
export function referencedChoices(column: Column, table: Table, tables: readonly Table[]): TableChoices | null {
  const reference = referenceOf(column, table);
  const target = tables.find((each) => each.schema === reference?.to.schema && each.name === reference.to.table);
  const key = target && columnOf(target, reference?.to.columns[reference.columns.indexOf(column.name)] ?? "");
  if (!reference || !target || !key) return null;
  const where = within(reference, column, table, target);
  const many = (target.rows ?? 0) > mostListed;
  return {
    from: "table",
    table: target,
    key,
    // What depends on another choice is few, and told by its own value first.
    label: tellingColumn(target, key),
    where,
    by: many && !where ? "search" : "list",
  };
}

/** Both conditions. */
const both = (left: Condition | null, right: Condition): Condition =>
  left
    ? {
        source: `${left.source} && ${right.source}`,
        expression: { op: "and", left: left.expression, right: right.expression },
        rowColumns: [...new Set([...left.rowColumns, ...right.rowColumns])],
        formColumns: [...new Set([...left.formColumns, ...right.formColumns])],
      }
    : right;

/** The choices of a field as its page restricts and labels them. */
export function choicesFor({
  page,
  column,
  settings,
  path,
}: Pick<FieldContext, "page" | "column" | "path" | "settings">): Choices | null {
  const { table } = page;
  if (column.type.kind === "enum") return { from: "labels", labels: column.type.labels };
  if (column.type.kind === "boolean" && (column.nullable || settings.control === "choice")) return { from: "truth" };
  const listed = table.demands.find((demand) => demand.by === "in" && demand.column === column.name);
  const choices = referencedChoices(column, table, page.catalog.tables);
  if (!choices && listed) return { from: "labels", labels: listed.values };
  if (!choices) {
    if (settings.choices || settings.show !== undefined)
      page.error(
        "no-choices",
        `"${column.name}" refers to no other table, so it has no choices. Give it a foreign key, or use the rule one-of.`,
        [...path, settings.choices ? "choices" : "show"],
      );
    return null;
  }
  const by = settings.choices?.by ?? choices.by;
  const offered = settings.choices?.where
    ? parseCondition(settings.choices.where, choices.table, table)
    : ({ ok: true, condition: null } as const);
  if (!offered.ok) {
    page.error("condition", offered.problem.message, [...path, "choices", "where"], { offset: offered.problem.offset });
    return { ...choices, by };
  }
  if (offered.condition) page.affordable(offered.condition, [...path, "choices", "where"]);
  const where = offered.condition ? both(choices.where, offered.condition) : choices.where;
  const label = settings.show === undefined ? choices.label : columnOf(choices.table, settings.show);
  if (label) {
    if (settings.show !== undefined && looksSecret(label))
      page.warning(
        "secret-shown",
        `${label.name} of ${tableName(choices.table)} looks like a secret, and everybody who opens the page reads it for each record that can be chosen.`,
        [...path, "show"],
      );
    return { ...choices, label, where, by };
  }
  const known = choices.table.columns.map((each) => each.name);
  return page.error(
    "unknown-column",
    `The table ${tableName(choices.table)} has no column "${settings.show}".${suggestion(settings.show ?? "", known)}`,
    [...path, "show"],
  );
}
