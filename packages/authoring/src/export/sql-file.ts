import { isKnownByKey, isTelling, type TableChoices } from "@loyal-quill/core/controls/choice-source";
import { loadedColumns } from "@loyal-quill/core/page/columns";
import type { Field, Page, SetColumn } from "@loyal-quill/core/page/page";
import { type Column, columnOf, tableName } from "@loyal-quill/core/table/model";
import { NotPlain, PlainCode, PlainSql } from "./logic.js";
import { choicesAskedWith, fileFields, freeName, keyNames, tableChoices as listedChoices, takenBy } from "./parts.js";
import { leavesMark, refusalCode, typesCode } from "./refusal-sql.js";
import { routineCode } from "./routine-sql.js";
import {
  castIn,
  comment,
  identifier,
  inTemplate,
  keyOf,
  member,
  quote,
  recordName,
  said,
  sqlText,
  tableIdentifier,
  typeName,
  variable,
} from "./source.js";
import { asText, byKey, inLines } from "./statement-parts.js";

/* The file with the page's statements. */

const placesOf = (page: Page) => ({ row: recordName(page), form: "form", actor: "actor", now: "now" });

/** The predicate of the page's `rows` condition as a function over actor, parameters and alias; empty where it has none. */
function ownRows(page: Page): string {
  const { rows } = page.access;
  if (!rows) return "";
  const sql = new PlainSql(new PlainCode(placesOf(page)), "${t}").truth(rows.expression);
  return `${comment(rows.source)}
const ownRows = (actor: Actor, $: Place, t: string): string => \`${sql.startsWith("(") ? sql : `(${sql})`}\`;
`;
}

/** The parameters of the function that loads a record: its key. */
export const keyParameters = (page: Page): string =>
  keyNames(page)
    .map((name) => `${name}: string`)
    .join(", ");

/** The columns of a record, by the alias of its row. */
function selectedCode(page: Page): string {
  const columns = loadedColumns(page).map((column) => {
    const text = asText("${t}", column);
    return text === `\${t}.${identifier(column.name)}` ? text : `${text} AS ${identifier(column.name)}`;
  });
  return `/** The columns of a record in PostgreSQL's text form, by the alias of its row. */
const selected = (t: string): string => \`${inLines([...columns, `\${t}.xmin::text AS ${identifier(freeName(page, "version"))}`])}\`;`;
}

function loadCode(page: Page): string {
  const type = typeName(page);
  return `/** The record with this key, if the actor may see it. */
export async function load(pool: Pool, ${page.access.rows ? "actor: Actor, " : ""}${keyParameters(page)}): Promise<${type} | null> {
  const { $, values } = parameters();
  const { rows } = await pool.query<${type}>(
    \`SELECT \${selected("t")} FROM ${tableIdentifier(page.table)} AS t
     WHERE ${byKey(page, "t", (column) => keyNames(page)[page.key.indexOf(column)] ?? "")}${page.access.rows ? ' AND ${ownRows(actor, $, "t")}' : ""}\`,
    values,
  );
  return rows[0] ?? null;
}`;
}

/** What one choice is called, as an SQL expression over `c`. */
function labelSql(choices: TableChoices): string {
  const label = asText("c", choices.label);
  return isTelling(choices) ? `${asText("c", choices.key)} || ', ' || ${label}` : label;
}

/** What is stored and what was chosen, as places of a statement. */
const keptCode = (page: Page, { column: { name } }: Field, { key }: TableChoices, withForm: boolean): string =>
  [recordName(page), ...(withForm ? ["form"] : [])]
    .map((from) => `\${$(${member(from, name)})}::${castIn(key.type)}`)
    .join(", ");

/** The statements with what is stored or chosen in a field, and with what is found by searching, as an expression. */
function searchCode(page: Page, field: Field, choices: TableChoices): string {
  const { where, key, table } = choices;
  if (!isKnownByKey(choices)) throw new NotPlain("choices by a part of a key that are found by searching");
  const offered = where && new PlainSql(new PlainCode({ ...placesOf(page), row: "c" }), "c").truth(where.expression);
  const label = labelSql(choices);
  const columns = `SELECT ${asText("c", key)} AS value, ${label} AS label`;
  const from = `FROM ${tableIdentifier(table)} AS c`;
  const order = [isTelling(choices) ? key : choices.label, key].map(({ name }) => `c.${identifier(name)}`);
  const text = member("find", field.column.name);
  return `searched(
      ($) => \`${columns}${offered ? `, (${offered}) IS NOT TRUE AS gone` : ""} ${from} WHERE c.${identifier(key.name)} IN (${keptCode(page, field, choices, true)})\`,
      ${text},
      ($, text) => \`${columns} ${from}
        WHERE ${offered ? `${offered} AND ` : ""}\${containing($, \`${label}\`, text)}
        ORDER BY ${label} NOT ILIKE \${$(pattern(text))}, ${[...new Set(order)].join(", ")} LIMIT \${mostFound + 1}\`,
    )`;
}

/** What a search is made of. */
const searchHelpers = `/** At most so many are shown of what is found. */
export const mostFound = 20;

/** What is to be found among the choices of a field. */
export type Find = Partial<Record<Field, string>>;

const pattern = (text: string): string => \`%\${text.replaceAll("\\0", "").replaceAll(/[\\\\%_]/g, "\\\\$&")}%\`;

/** That every word of a text occurs in an expression, without regard to case. */
function containing($: Place, expression: string, text: string): string {
  const words = text.split(/\\s+/).filter((word) => word !== "").slice(0, 20);
  return words.map((word) => \`\${expression} ILIKE \${$(pattern(word))}\`).join(" AND ") || "true";
}

`;

/** The statement with a field's choices, as an expression. */
function listCode(page: Page, field: Field, choices: TableChoices): string {
  if (choices.by === "search") return searchCode(page, field, choices);
  const { where, key, table } = choices;
  const value = asText("c", key);
  const order = [isTelling(choices) ? key : choices.label, key].map(({ name }) => `c.${identifier(name)}`);
  const from = `FROM ${tableIdentifier(table)} AS c`;
  const ordered = `ORDER BY ${[...new Set(order)].join(", ")}`;
  const columns = `${value} AS value, ${labelSql(choices)} AS label`;
  if (!where) {
    const text = `\`SELECT ${columns} ${from} ${ordered}\``;
    const { stored, form, actor } = choicesAskedWith(page);
    return stored || form || actor ? `list(() => ${text})` : `list(${text})`;
  }
  const offered = new PlainSql(new PlainCode({ ...placesOf(page), row: "c" }), "c").truth(where.expression);
  // A part of a key is another record's elsewhere.
  if (!isKnownByKey(choices)) return `list(($) => \`SELECT ${columns} ${from} WHERE ${offered} ${ordered}\`)`;
  const stored = `c.${identifier(key.name)} IN (${keptCode(page, field, choices, where.formColumns.length > 0)})`;
  return `list(($) => \`SELECT ${columns}, (${offered}) IS NOT TRUE AS gone ${from} WHERE ${offered} OR ${stored} ${ordered.replace("BY ", "BY gone DESC, ")}\`)`;
}

function choicesCode(page: Page, fields: readonly Field[]): string {
  if (fields.length === 0) return "";
  const lists = fields.flatMap((field) => {
    const choices = listedChoices(field);
    return choices ? [listCode(page, field, choices)] : [];
  });
  const names = fields.map(({ column }) => column.name);
  const asked = choicesAskedWith(page);
  const told = `What may be chosen${asked.form ? " where the form comes to these values" : ""}${asked.gone ? ", and what is stored though it is not offered any more" : ""}.`;
  const withPlaces = asked.stored || asked.form || asked.actor;
  const searched = asked.find
    ? `
  const searched = async (kept: (place: Place) => string, text: string | undefined, found: (place: Place, text: string) => string): Promise<readonly Option[]> => {
    const [first, rest] = await Promise.all([list(kept), text === undefined ? [] : list(($) => found($, text))]);
    return [...first.filter(({ value }) => rest.every((each) => each.value !== value)), ...rest.map((each) => ({ ...each, isFound: true }))];
  };`
    : "";
  const list = withPlaces
    ? `const list = async (statement: (place: Place) => string): Promise<readonly Option[]> => {
    const { $, values } = parameters();
    return (await pool.query<Option>(statement($), values)).rows;
  };`
    : `const list = async (text: string): Promise<readonly Option[]> => (await pool.query<Option>(text)).rows;`;
  return `export type Choices = Readonly<Record<${names.map(quote).join(" | ")}, readonly Option[]>>;

${asked.find ? searchHelpers : ""}${withPlaces ? `/** ${told} */\n` : ""}export async function loadChoices(pool: Pool${asked.actor ? ", actor: Actor" : ""}${asked.stored ? `, ${recordName(page)}: ${typeName(page)}` : ""}${asked.form ? ", form: Values" : ""}${asked.find ? ", find: Find = {}" : ""}): Promise<Choices> {
  ${list}${searched}
  const [${names.map(variable).join(", ")}] = await Promise.all([
    ${lists.join(",\n    ")},
  ]);
  return { ${names.map((name) => (variable(name) === name ? name : `${keyOf(name)}: ${variable(name)}`)).join(", ")} };
}`;
}

/** The function that reads a file, and what it needs. */
function loadFileCode(page: Page): string {
  if (fileFields(page).length === 0) return "";
  return `/** The file in this column of the record with this key, if the actor may see it. */
export async function loadFile(pool: Pool, ${page.access.rows ? "actor: Actor, " : ""}column: FileField, ${keyParameters(page)}): Promise<Buffer | null> {
  const { $, values } = parameters();
  const { rows } = await pool.query<{ readonly content: Buffer | null }>(
    \`SELECT t."\${column}" AS content FROM ${tableIdentifier(page.table)} AS t
     WHERE ${byKey(page, "t", (column) => keyNames(page)[page.key.indexOf(column)] ?? "")}${page.access.rows ? ' AND ${ownRows(actor, $, "t")}' : ""}\`,
    values,
  );
  return rows[0]?.content ?? null;
}`;
}

/** The log's field changes between two rows, as SQL. */
function changesSql(page: Page, before: string | null, after: string | null): string {
  const side = (alias: string | null, column: Column): string => (alias === null ? "NULL" : asText(alias, column));
  const rows = page.table.columns.map(
    (column) => `(${sqlText(column.name)}, ${side(before, column)}, ${side(after, column)})`,
  );
  const hidden = page.table.columns.flatMap(({ name, sensitive }) => (sensitive ? [sqlText(name)] : []));
  const told = "jsonb_build_object('field', f.field, 'old', f.old, 'new', f.new)";
  const change =
    hidden.length === 0
      ? told
      : `CASE WHEN f.field IN (${hidden.join(", ")}) THEN jsonb_build_object('field', f.field, 'old', NULL, 'new', NULL, 'hidden', true) ELSE ${told} END`;
  return `(SELECT jsonb_agg(${change}) FROM (VALUES
         ${rows.join(",\n         ")}
       ) AS f(field, old, new) WHERE f.old IS DISTINCT FROM f.new)`;
}

const keyObject = (page: Page, alias: string): string =>
  `jsonb_build_object(${page.key.map((column) => `${sqlText(column.name)}, ${asText(alias, column)}`).join(", ")})`;

/** What the page itself gives on a save, as entries of the SET clause. */
function setEntries(page: Page, on: "save"): readonly string[] {
  return page.sets
    .filter((set) => set.on === "both" || set.on === on)
    .map(
      ({ column, value }) =>
        `\`${identifier(column.name)} = \${$(${givenCode(page, { column, value, on })})}::${castIn(column.type)}\``,
    );
}

/** A value that the page gives, as an expression. */
function givenCode(page: Page, { column, value }: SetColumn): string {
  const { expression } = value;
  if (expression.op === "now") {
    if (column.type.kind === "timestamptz" || column.type.kind === "text") return "now.toISOString()";
    throw new NotPlain(`the moment in ${column.name}, in the page's time zone`);
  }
  return new PlainCode({ ...placesOf(page), row: "row" }).value(expression).code;
}

function updateCode(page: Page): string {
  const logged = freeName(page, "entry");
  const record = recordName(page);
  const type = typeName(page);
  const { table } = page;
  const sets = setEntries(page, "save");
  const usesNow = sets.some((set) => set.includes("now."));
  const usesForm = sets.some((set) => set.includes("form."));
  const rowBefore = byKey(page, "t", ({ name }) => member(record, name));
  const same = page.key.map(({ name }) => `t.${identifier(name)} = b.${identifier(name)}`).join(" AND ");
  const keyChanges = page.key.some((column) => takenBy(page).some((field) => field.column === column));
  const newKey = keyChanges ? `NULLIF(${keyObject(page, "a")}, ${keyObject(page, "b")})` : "NULL";
  const remains = page.access.rows
    ? `,
       CASE WHEN (\${ownRows(actor, $, "a")}) IS NOT TRUE THEN concat('${leavesMark} ', a)::integer END AS ${identifier(freeName(page, "refused"))}`
    : "";
  const set = 'Object.entries(changes).map(([field, value]) => `"${field}" = ${$(value)}`)';
  const given = sets.length > 0 ? `[...${set}, ${sets.join(", ")}]` : set;
  if (takenBy(page).some(({ column }) => /["$`\\]/.test(column.name)))
    throw new NotPlain("a column whose name has a quotation mark in it");
  return `/**
 * Changes these columns of the record as it was loaded, and writes the log's entry, in one statement: both or neither. Triggers are told who does so:
 * one that watches the table knows by it that the change is logged already.${page.access.rows ? "\n * A row that the actor could not see any more must not stay: then the statement refuses itself, since only an error takes all of it back." : ""}
 *
 * @returns the record as it is stored now, and whether that is another; null where somebody else has changed it meanwhile
 */
export async function update(
  pool: Pool,
  actor: Actor,
  ${record}: ${type},
  changes: Changes,${usesNow ? "\n  now: Date," : ""}${page.reason ? "\n  reason: string," : ""}
): Promise<{ readonly ${record}: ${type}; readonly isChanged: boolean } | null> {
  const { $, values } = parameters();
  const request = randomUUID();${usesForm ? `\n  const form = { ...${record}, ...changes };` : ""}
  const set = ${given};
  const { rows } = await pool.query<${type} & { readonly ${logged}: string | null }>(
    \`WITH told AS (
       SELECT set_config('quill.actor', \${$(actor.id)}, true), set_config('quill.page', ${sqlText(page.name)}, true), set_config('quill.request', \${$(request)}, true)
     ), b AS (
       SELECT t.* FROM told, ${tableIdentifier(table)} AS t
       WHERE ${rowBefore} AND t.xmin::text = \${$(${member(record, freeName(page, "version"))})}
       FOR NO KEY UPDATE OF t
     ), a AS (
       UPDATE ${tableIdentifier(table)} AS t SET \${set.join(", ")}
       FROM b WHERE ${same}
       RETURNING t.*, t.xmin
     ), changed AS (
       SELECT ${keyObject(page, "b")} AS record_key, ${newKey}::jsonb AS new_key, ${changesSql(page, "b", "a")} AS fields
       FROM b, a
     ), entry AS (
       SELECT quill_log.add_change(\${$(actor.id)}, \${$(actor.name)}, ${sqlText(page.name)}, ${sqlText(page.version)}, ${sqlText(tableName(table))},
         record_key, 'update', fields, \${$(request)}::uuid, ${page.reason ? "NULLIF(${$(reason)}, '')" : "NULL"}, new_key, NULL)::text AS id
       FROM changed WHERE fields IS NOT NULL
     )
     SELECT \${selected("a")}, (SELECT id FROM entry) AS ${logged}${remains}
     FROM a\`,
    values,
  );
  const [row] = rows;
  return row ? { ${record}: row, isChanged: row.${logged} !== null } : null;
}`;
}

/** What must be unique. */
function uniques(page: Page): readonly {
  readonly field: Field;
  readonly columns: readonly Column[];
  readonly message: string | null;
  readonly always: boolean;
  readonly folds: boolean;
}[] {
  return takenBy(page).flatMap((field) =>
    field.rules.flatMap((rule) => {
      if (rule.rule !== "unique" || rule.when) return [];
      const { columns, ignoringCase } = rule.demand as { columns: readonly string[]; ignoringCase: boolean };
      const message = rule.message === null ? null : quote(rule.message);
      return [
        {
          field,
          columns: columns.flatMap((name) => columnOf(page.table, name) ?? []),
          message,
          always: rule.from === "page",
          folds: ignoringCase,
        },
      ];
    }),
  );
}

/** When it is asked what others have: `always` where no constraint of the table promises it, `told` beside other messages only, or not at all. */
export const looksUp = (page: Page): "always" | "told" | "never" => {
  const asked = uniques(page);
  return asked.length === 0 ? "never" : asked.some(({ always }) => always) ? "always" : "told";
};

function takenCode(page: Page): string {
  const asked = uniques(page);
  if (asked.length === 0) return "";
  const record = recordName(page);
  const type = typeName(page);
  const itself = page.key
    .map((column) => `o.${identifier(column.name)} = \${$(${member(record, column.name)})}::${castIn(column.type)}`)
    .join(" AND ");
  const alone = asked.every(({ columns }) => columns.length === 1);
  const loaded = new Set(loadedColumns(page).map(({ name }) => name));
  // What is neither shown nor loaded is what is stored of it.
  const stored = (column: Column): string =>
    `(SELECT t.${identifier(column.name)} FROM ${tableIdentifier(page.table)} AS t WHERE ${byKey(page, "t", ({ name }) => member(record, name))})`;
  const tests = asked.map(({ field, columns, folds }) => {
    const same = columns.map((column) => {
      const place = loaded.has(column.name)
        ? `\${$(${member(alone ? "changes" : "form", column.name)})}::${castIn(column.type)}`
        : stored(column);
      return folds
        ? `lower(o.${identifier(column.name)}::text) = lower(${place}::text)`
        : `o.${identifier(column.name)} = ${place}`;
    });
    return `EXISTS (SELECT FROM ${tableIdentifier(page.table)} AS o WHERE ${same.join(" AND ")} AND NOT (${itself})) AS "${inTemplate(field.column.name.replaceAll('"', '""'))}"`;
  });
  const names = asked.map(({ field }) => field.column.name);
  const own = asked.some(({ message }) => message !== null);
  const usual = said(page.language, "unique", { label: { code: "labels[field]" } });
  const messages = own
    ? `\n  const messages: Partial<Record<Field, string>> = { ${asked.flatMap(({ field, message }) => (message === null ? [] : `${keyOf(field.column.name)}: ${message}`)).join(", ")} };`
    : "";
  return `/** What another record has already${looksUp(page) === "told" ? ": asked where a form comes back anyway, so that all messages come at once. The table itself refuses it." : ". Only a constraint of the table could promise that it stays so; this is for telling people early."} */
export async function takenByOthers(pool: Pool, ${record}: ${type}, changes: Changes): Promise<readonly Problem[]> {
  const { $, values } = parameters();${alone ? "" : `\n  const form = { ...${record}, ...changes };`}${messages}
  const { rows } = await pool.query<Readonly<Record<string, boolean>>>(\`SELECT ${tests.join(",\n    ")}\`, values);
  return ([${names.map(quote).join(", ")}] as const)
    .filter((field) => changes[field] != null && rows[0]?.[field])
    .map((field) => ({ field, message: ${own ? `messages[field] ?? ${usual}` : usual} }));
}
`;
}

/** The text of the file. @throws NotPlain */
export function sqlFile(page: Page): string {
  const listed = takenBy(page).filter((field) => listedChoices(field));
  const type = typeName(page);
  const body = [
    ownRows(page),
    selectedCode(page),
    loadCode(page),
    loadFileCode(page),
    choicesCode(page, listed),
    page.routine ? routineCode(page, page.routine) : updateCode(page),
    takenCode(page),
    refusalCode(page),
    typesCode(page),
  ]
    .filter(Boolean)
    .join("\n\n");
  const uses = (name: string): boolean => new RegExp(`\\b${name}\\b`).test(body);
  return `import { randomUUID } from "node:crypto";
import type { ${uses("DatabaseError") ? "DatabaseError, " : ""}Pool${page.routine ? ", PoolClient" : ""} } from "pg";
import { isRefusal, ${uses("Place") ? "type Place, " : ""}parameters } from "../shared/database.js";
${uses("Option") ? 'import type { Option } from "../shared/form-html.js";\n' : ""}import type { Actor } from "./actor.js";
import { type Changes, ${uses("Field") ? "type Field, " : ""}${uses("FileField") ? "type FileField, " : ""}${body.includes("labels[") ? "labels, " : ""}type Problem, type ${type}${uses("Values") ? ", type Values" : ""} } from "./form.js";

${body}
`;
}
