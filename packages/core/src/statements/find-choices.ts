import type { Facts } from "../condition/facts.js";
import { predicate } from "../condition/to-sql.js";
import { isTelling, type TableChoices } from "../controls/choice-source.js";
import { Parameters, quoted, quotedTable, type Statement } from "../postgres/statement.js";
import { textForm } from "../postgres/text-form.js";
import { containing, literally } from "./search.js";

/** At most this many options are offered in a list; where there are more, they are found by searching. */
export const mostOptions = 500;

/** At most this many are found by one search. */
export const mostFound = 20;

/** What stands for a record of a referenced table: its label, after its key where that says something. */
export function labelOf(choices: TableChoices, alias: string): string {
  const label = textForm(alias, choices.label);
  return isTelling(choices) ? `${textForm(alias, choices.key)} || ', ' || ${label}` : label;
}

/** The column by which choices stand in order. */
const first = (choices: TableChoices) => (isTelling(choices) ? choices.key : choices.label);

/**
 * Choices from a referenced table: value and label, by what stands first.
 *
 * @param facts with the form's values, where one choice depends on another
 * @param search words that the label must contain, all of them, without regard to case; null for a list of all
 */
export function choicesStatement(choices: TableChoices, facts: Facts, search: string | null = null): Statement {
  const parameters = new Parameters();
  const text = choicesQuery(choices, facts, search, parameters);
  const { values } = parameters;
  return search === null
    ? { purpose: "choices", text, values }
    : { purpose: "search choices", text, values, plannedAnew: true };
}

/** A list of all choices inside another statement: a JSON array of pairs, value and label. */
export const choicesArray = (choices: TableChoices, facts: Facts, parameters: Parameters): string =>
  `(SELECT json_agg(json_build_array(c."value", c."label")) FROM (${choicesQuery(choices, facts, null, parameters)}) AS c)`;

/** Choices that are called so: by label or key, without regard to case. Two at most, to know whether it is the only one. */
export function namedChoiceStatement(choices: TableChoices, facts: Facts, text: string): Statement {
  const parameters = new Parameters();
  const where = choices.where ? `${predicate(choices.where, parameters, facts, "t")} AND ` : "";
  const name = `lower(${parameters.add(text, "text")})`;
  return {
    purpose: "name choice",
    text: `SELECT ${textForm("t", choices.key)} AS "value"
FROM ${quotedTable(choices.table)} AS t
WHERE ${where}(lower(${labelOf(choices, "t")}) = ${name} OR lower(${textForm("t", choices.label)}) = ${name} OR lower(${textForm("t", choices.key)}) = ${name})
LIMIT 2`,
    values: parameters.values,
    plannedAnew: true,
  };
}

function choicesQuery(choices: TableChoices, facts: Facts, search: string | null, parameters: Parameters): string {
  const where = choices.where ? [predicate(choices.where, parameters, facts, "t")] : [];
  const label = labelOf(choices, "t");
  const order = [`t.${quoted(first(choices).name)}`, `t.${quoted(choices.key.name)}`];
  if (search !== null && search.trim() !== "") {
    where.push(containing([label], search, parameters));
    // What contains the words as they were typed stands before what contains them somewhere.
    order.unshift(`${label} NOT ILIKE ${parameters.add(`%${literally(search.trim())}%`, "text")}`);
  }
  // One more than are shown, to know whether there are more.
  const most = (search === null ? mostOptions : mostFound) + 1;
  return `SELECT ${textForm("t", choices.key)} AS "value", ${label} AS "label"
FROM ${quotedTable(choices.table)} AS t${where.length > 0 ? `\nWHERE ${where.join(" AND ")}` : ""}
ORDER BY ${order.join(", ")}
LIMIT ${most}`;
}

/** The labels of values that may no longer be on offer, and whether each still is. A value may be of no record at all. */
export function labelsStatement(choices: TableChoices, values: readonly string[], facts: Facts): Statement {
  const parameters = new Parameters();
  const offered = choices.where ? `coalesce(${predicate(choices.where, parameters, facts, "t")}, false)` : "true";
  const same = values.map((value) => parameters.add(value, choices.key.type.cast));
  return {
    purpose: "label choices",
    text: `SELECT ${textForm("t", choices.key)} AS "value", ${labelOf(choices, "t")} AS "label", (${offered})::text AS "offered"
FROM ${quotedTable(choices.table)} AS t
WHERE t.${quoted(choices.key.name)} IN (${same.join(", ")})
LIMIT ${values.length}`,
    values: parameters.values,
  };
}
