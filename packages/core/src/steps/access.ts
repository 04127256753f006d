import { type Facts, type Truth, truthOf } from "../condition/evaluate.js";
import type { Condition } from "../condition/expression.js";
import type { Page } from "../page/page.js";
import type { Row } from "../statements/statement.js";

const holds = (condition: Condition | null, facts: Facts): Truth =>
  condition ? truthOf(condition.expression, facts) : true;

/** Whether the actor may open the page at all. Without a condition everybody who is known may. */
export const mayOpen = (page: Page, facts: Facts): Truth => holds(page.access.open, facts);

/** Whether the record's state allows an edit. The same condition is part of the save's WHERE. */
export const mayEdit = (page: Page, row: Row, facts: Facts): boolean =>
  holds(page.access.edit, { ...facts, row }) === true;
