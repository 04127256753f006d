import { truthOf } from "@loyal-quill/core/condition/evaluate";
import { type Condition, everyPart } from "@loyal-quill/core/condition/expression";
import { type Actor, type Attribute, factsOf } from "@loyal-quill/core/condition/facts";
import { show } from "@loyal-quill/core/controls/show";
import type { Field, Page } from "@loyal-quill/core/page/page";
import type { Database, Row, Stored } from "@loyal-quill/core/postgres/statement";
import { mayEdit, mayMake, mayOpen } from "@loyal-quill/core/steps/access";
import type { Column } from "@loyal-quill/core/table/model";
import { rowsStatement, valuesStatement } from "./statements.js";

/** A record to rehearse with. */
export interface RehearsedRecord {
  readonly key: readonly string[];
  readonly row: Row;
}

/** What the cases of a page are prepared from: people and records, as they stand to one another. */
export interface Prepared {
  readonly page: Page;
  readonly now: Date;
  /** Who may open the page and edit most of what was looked at; null where nobody may. */
  readonly actor: Actor | null;
  /** Somebody to whom the page is not open; null where it is open to all. */
  readonly stranger: Actor | null;
  /** All who may open the page, with the records that each may edit; who may edit most first. */
  readonly insiders: readonly { readonly actor: Actor; readonly editable: readonly RehearsedRecord[] }[];
  /** Who may make a new record; null where nobody may, or no page says so. */
  readonly maker: Actor | null;
  /** Records that the actor may edit. */
  readonly editable: readonly RehearsedRecord[];
  /** One that the actor sees and may not edit. */
  readonly locked: RehearsedRecord | null;
  /** One that is not among those that somebody sees who may open the page. */
  readonly hidden: { readonly record: RehearsedRecord; readonly from: Actor } | null;
  /** All rows that were looked at. */
  readonly rows: readonly RehearsedRecord[];
  /** Stored values of each column of the form, the most different ones that were found. */
  readonly values: ReadonlyMap<string, readonly string[]>;
}

/** Rows that are looked at. */
const mostRows = 120;

const conditionsOf = ({ access }: Page): Condition[] =>
  [access.open, access.rows, access.edit, access.new, access.delete].filter((each): each is Condition => each !== null);

/** An attribute as an account would have it, of a column's text form. */
function attributeOf({ type: { kind } }: Column, value: Stored): Attribute {
  if (value === null) return null;
  if (kind === "integer" || kind === "decimal" || kind === "float") return Number(value);
  return kind === "boolean" ? value === "true" : value;
}

/**
 * People as the page's own conditions speak of them, for where no accounts are known: one who has every role that is named and the
 * attributes that stand against columns, for each row; one for each role; and one who has none.
 */
function peopleFor(page: Page, rows: readonly Row[]): readonly Actor[] {
  const parts = conditionsOf(page).flatMap(({ expression }) => everyPart(expression));
  // Texts in a condition that asks for roles are roles; others are states and the like.
  const ofRoles = conditionsOf(page)
    .map(({ expression }) => everyPart(expression))
    .filter((each) => each.some((part) => part.op === "actor" && part.attribute === "roles"));
  const texts = new Set(
    ofRoles
      .flat()
      .flatMap((part) =>
        part.op === "literal" && typeof part.value === "string" && part.type === "text" ? [part.value] : [],
      ),
  );
  const beside = parts.flatMap((part) => {
    if (part.op !== "compare") return [];
    const sides = [part.left, part.right];
    const actor = sides.find((side) => side.op === "actor");
    const column = sides.find((side) => side.op === "column");
    return actor?.op === "actor" && column?.op === "column" && !["id", "name", "roles"].includes(actor.attribute)
      ? [{ attribute: actor.attribute, column: column.column }]
      : [];
  });
  const ids = parts.some((part) => part.op === "actor" && part.attribute === "id");
  const attributesOf = (row: Row): Record<string, Attribute> =>
    Object.fromEntries(
      beside.map(({ attribute, column }) => [attribute, attributeOf(column, row[column.name] ?? null)]),
    );
  const of = (id: string, roles: readonly string[], row: Row): Actor => ({
    id: ids ? (Object.values(row)[0] ?? id) : id,
    name: roles.length > 0 ? `somebody who is ${roles.join(", ")}` : "somebody without a role",
    roles,
    attributes: attributesOf(row),
  });
  const kinds = new Map(rows.map((row) => [JSON.stringify(attributesOf(row)), row]));
  const some = [...kinds.values()].slice(0, 5);
  const everyRole = [...texts];
  return [
    ...some.map((row, index) => of(`everybody-${index + 1}`, everyRole, row)),
    ...everyRole.flatMap((role) => some.slice(0, 2).map((row, index) => of(`${role}-${index + 1}`, [role], row))),
    of("nobody-in-particular", [], {}),
  ];
}

const sees = (page: Page, actor: Actor, row: Row, now: Date): boolean =>
  page.access.rows === null || truthOf(page.access.rows.expression, { ...factsOf(actor, now), row }) === true;

/** Looks at a page's table and chooses who and what to rehearse with. */
export async function prepare(page: Page, database: Database, people: readonly Actor[], now: Date): Promise<Prepared> {
  const found = await database.run(rowsStatement(page, mostRows));
  const rows = found.map((row) => ({ row, key: page.key.map(({ name }) => row[name] ?? "") }));
  const known = people.length > 0 ? people : peopleFor(page, found);
  const may = (actor: Actor): boolean => mayOpen(page, factsOf(actor, now)) === true;
  const insiders = known.filter(may);
  const editableBy = (actor: Actor): RehearsedRecord[] =>
    rows.filter(({ row }) => sees(page, actor, row, now) && mayEdit(page, row, factsOf(actor, now)));
  const ranked = insiders
    .map((actor) => ({ actor, editable: editableBy(actor) }))
    .toSorted((a, b) => b.editable.length - a.editable.length);
  const best = ranked[0] ?? null;
  const hidden = insiders.flatMap((from) => {
    const record = rows.find(({ row }) => !sees(page, from, row, now));
    return record ? [{ record, from }] : [];
  });
  const values = new Map<string, readonly string[]>();
  for (const { column } of page.fields) {
    if (column.stamped || column.sensitive) continue;
    const stored = await database.run(valuesStatement(page.table, column, 40));
    values.set(
      column.name,
      stored.flatMap(({ value }) => (value === null || value === undefined ? [] : [value])),
    );
  }
  return {
    page,
    now,
    actor: best?.actor ?? null,
    stranger: known.find((actor) => !may(actor)) ?? strangerTo(page, now),
    insiders: ranked,
    maker: insiders.find((actor) => mayMake(page, factsOf(actor, now))) ?? null,
    editable: best?.editable ?? [],
    locked:
      best === null
        ? null
        : (rows.find(({ row }) => sees(page, best.actor, row, now) && !mayEdit(page, row, factsOf(best.actor, now))) ??
          null),
    hidden: hidden[0] ?? null,
    rows,
    values,
  };
}

function strangerTo(page: Page, now: Date): Actor | null {
  const nobody: Actor = { id: "a-stranger", name: "A Stranger", roles: [], attributes: {} };
  return mayOpen(page, factsOf(nobody, now)) === true ? null : nobody;
}

/** A stored value as it would be typed into a field's control. */
export const typedOf = (page: Page, field: Field, stored: Stored): string => show(field, stored, page).text;
