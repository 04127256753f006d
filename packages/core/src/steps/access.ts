import { type Truth, truthOf } from "../condition/evaluate.js";
import type { Condition } from "../condition/expression.js";
import type { Facts } from "../condition/facts.js";
import type { Page } from "../page/page.js";
import type { Row } from "../postgres/statement.js";

const holds = (condition: Condition | null, facts: Facts): Truth =>
  condition ? truthOf(condition.expression, facts) : true;

/** Whether the actor may open the page at all. Without a condition everybody who is known may. */
export const mayOpen = (page: Page, facts: Facts): Truth =>
  facts.actor.pages?.includes(page.name) === false ? false : holds(page.access.open, facts);

/** Whether the record's state allows an edit. The same condition is part of the save's WHERE. */
export const mayEdit = (page: Page, row: Row, facts: Facts): boolean =>
  !page.stopped.includes("edit") && holds(page.access.edit, { ...facts, row }) === true;

/** Whether the actor may make a new record. The record itself must meet the `rows` condition as well, when it is written. */
export const mayMake = (page: Page, facts: Facts): boolean =>
  page.access.new !== null && !page.stopped.includes("new") && holds(page.access.new, facts) === true;

/** Whether the actor may see what was changed of a record: nobody where the page does not say so. */
export const maySeeHistory = (page: Page, row: Row, facts: Facts): boolean =>
  page.access.history !== null && holds(page.access.history, { ...facts, row }) === true;

/** Whether a record may be deleted: the page says so, and its state allows an edit too. Both are part of the delete's WHERE. */
export const mayDelete = (page: Page, row: Row, facts: Facts): boolean =>
  page.access.delete !== null &&
  !page.stopped.includes("delete") &&
  holds(page.access.delete, { ...facts, row }) === true &&
  mayEdit(page, row, facts);
