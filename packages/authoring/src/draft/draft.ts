import { rewriteWarning } from "@loyal-quill/core/page/rewrites";
import { mostCharacters } from "@loyal-quill/core/rules/max-length";
import { referencedChoices, tellingColumn } from "@loyal-quill/core/settings/bound/column-choices";
import { labelFrom } from "@loyal-quill/core/settings/bound/label";
import { incremented, mayBeLockVersion } from "@loyal-quill/core/table/lock-version";
import { type Catalog, type Column, columnOf, type Table, tableName } from "@loyal-quill/core/table/model";
import { rangeKind } from "@loyal-quill/core/values/range";
import { slugOf } from "@loyal-quill/core/values/slug";
import pluralize from "pluralize";
import { stringify } from "yaml";
import { exampleOf } from "./example.js";
import { mayChange, obstacle, unusableBecause } from "./obstacles.js";

/** A page file made from a table. */
export interface DraftedPage {
  /** The page's name: the file's name without `.page.yaml`. */
  readonly name: string;
  readonly table: string;
  readonly key: readonly string[];
  readonly text: string;
  /** What of the table stands in the page's way, although it is complete. */
  readonly warnings: readonly string[];
}

/** Why there is no page for a table. */
export interface Undraftable {
  readonly table: string;
  readonly because: string;
}

/** First segments of addresses that are the application's own. */
const reserved: ReadonlySet<string> = new Set(["workbench", "fonts", "sign-in", "sign-out"]);

/** Columns that hold what nobody should read off a page. */
const secret = /pass_?word|passwd|secret|api_?key|(^|_)(salt|token|hash|otp|pin)($|_)/i;

/** Columns whose texts run over several lines, by what they are called. */
const long = /note|remark|description|body|comment|findings|summary|details|message|biography|address_lines/i;

/** Types that nobody can read or type. */
const unreadable: ReadonlySet<string> = new Set(["tsvector", "bytea"]);

/** In one line, quoted where YAML needs it. */
const flow = (value: unknown): string =>
  stringify(value, { collectionStyle: "flow", lineWidth: 0, flowCollectionPadding: true }).trim();

/** Whether a column's value is given by the table and says nothing to people. One that refers to another record is chosen, whatever its type. */
const isSurrogate = (table: Table, column: Column): boolean =>
  (column.written === "always" || column.default !== null || column.type.kind === "uuid") &&
  !table.references.some(({ columns }) => columns.includes(column.name));

/** Whether a column holds what people may read: no secrets, nothing that nobody can read. */
export const isShown = (column: Column): boolean => !secret.test(column.name) && !unreadable.has(column.type.cast);

/** Defaults that are the moment of the write. */
const now =
  /^\(?(now\(\)|CURRENT_TIMESTAMP(\(\d\))?|LOCALTIMESTAMP(\(\d\))?|(clock|statement|transaction)_timestamp\(\)|timezone\(.*now\(\)\))\)?(::[\w ()]+| AT TIME ZONE .*)?$/i;

/** Names of the columns that say when a record was made or changed. */
const stamp = /^(created|inserted|added|updated|modified|changed|recorded)(_?(at|on|date|time|timestamp))?$/i;

/** Whether a column is stamped by the table when a record is made: `created_at timestamptz DEFAULT now()`, and its like. */
const isStamp = ({ name, type, default: given }: Column): boolean =>
  given !== null &&
  ["timestamp", "timestamptz", "date"].includes(type.kind) &&
  (stamp.test(name) || (type.kind !== "date" && now.test(given)));

/** What a page gives such columns by itself: who changed or made a record, and when, where the table doesn't. */
function setOf({ columns, keys, triggersUpdates }: Table): Readonly<Record<string, unknown>> {
  const given = columns.flatMap((column): [string, unknown][] => {
    const { name, type } = column;
    // What is part of the key is nothing that a page sets.
    if (!mayChange(column) || !column.granted.insert || keys[0]?.columns.includes(name)) return [];
    if (mayBeLockVersion(column)) return triggersUpdates ? [] : [[name, incremented(column)]];
    const isMoment = type.kind === "timestamp" || type.kind === "timestamptz";
    if (isMoment && /^(updated|modified|changed|edited)_?at$/i.test(name)) return [[name, "now"]];
    if (type.kind === "text" && /^(updated|modified|changed|edited)_?by$/i.test(name)) return [[name, "actor.name"]];
    if (type.kind === "text" && /^(created|inserted|added)_?by$/i.test(name))
      return [[name, { to: "actor.name", on: "new" }]];
    return [];
  });
  return Object.fromEntries(given);
}

/** Ends of names that say in what a number is measured. */
const units: Readonly<Record<string, string>> = {
  mm: "mm",
  cm: "cm",
  m: "m",
  km: "km",
  m2: "m²",
  km2: "km²",
  m3: "m³",
  g: "g",
  kg: "kg",
  ms: "ms",
  s: "s",
  percent: "%",
  pct: "%",
};

/** Texts of no more characters stand in one line, whatever they are called. */
const longestLine = 255;

const isLong = (column: Column, table: Table): boolean =>
  column.type.kind === "text" &&
  long.test(column.name) &&
  (mostCharacters(table, column) ?? Number.POSITIVE_INFINITY) > longestLine;

/** `offset_m` is an offset in metres. */
function unitOf({ name, type }: Column): { unit: string; rest: string } | null {
  const [, rest = "", end = ""] = /^(.+)_([a-z]+[23]?)$/.exec(name) ?? [];
  const unit = units[end];
  return unit !== undefined && ["integer", "decimal", "float"].includes(type.kind) ? { unit, rest } : null;
}

/** Fewer columns than this are no group. */
const fewestOfGroup = 3;

/**
 * Columns that follow each other and begin with the same word stand together: `address_line`, `address_town`, `address_code`
 * are an address. @returns the first word by column
 */
function groupsOf(columns: readonly Column[]): ReadonlyMap<string, string> {
  const groups = new Map<string, string>();
  const first = ({ name }: Column): string | undefined => /^([a-z]{3,})_./i.exec(name)?.[1];
  for (let from = 0; from < columns.length; ) {
    const word = first(columns[from] as Column);
    let to = from + 1;
    while (word !== undefined && to < columns.length && first(columns[to] as Column) === word) to += 1;
    if (word !== undefined && to - from >= fewestOfGroup)
      for (const { name } of columns.slice(from, to)) groups.set(name, word);
    from = to;
  }
  return groups;
}

/** How values are written that have no control of their own, by the beginning of their types' names (PostgreSQL documentation, 8.5.4 and 8.17.5). */
const written: readonly (readonly [type: RegExp, help: string])[] = [
  [/^numrange$/, "From, and up to but not including: [1,10)."],
  [/^interval/, "Like 3 days, or 02:30:00."],
];

/** Rules that the names of text columns ask for: what is no address is most likely a slip. */
const named: readonly (readonly [name: RegExp, rule: string])[] = [
  [/(^|_)[eE]_?mail(_address)?$|[a-z]Email(Address)?$/, "e-mail"],
  [/(^|_)([wW]ebsite|[hH]omepage|web_address)$|[a-z](Website|Homepage)$/, "web-address"],
];

const ruleFor = ({ demands, references }: Table, { name, type }: Column): string | undefined =>
  type.kind === "text" &&
  !demands.some(({ column, by }) => column === name && by === "in") &&
  !references.some(({ columns }) => columns.includes(name))
    ? named.find(([pattern]) => pattern.test(name))?.[1]
    : undefined;

/** How a code is written whose pattern a CHECK has. */
function likeExample({ demands }: Table, { name, type }: Column): string | undefined {
  const patterns = demands.filter((each) => each.column === name && each.by === "matches");
  const [example] =
    type.kind === "text" ? patterns.flatMap(({ values: [source = ""] }) => exampleOf(source) ?? []) : [];
  return example === undefined ? undefined : `Like ${example}.`;
}

/** What is done to a typed text so that a CHECK takes it: what the table wants to be the same after `upper`, `lower` and `btrim`. */
const tidyings: Readonly<Record<string, string>> = {
  "spaces-around": "trim",
  "upper-case": "upper",
  "lower-case": "lower",
};

const tidyFor = ({ demands }: Table, { name }: Column): readonly string[] =>
  Object.entries(tidyings).flatMap(([form, tidying]) =>
    demands.some(({ column, by, values }) => column === name && by === "matches" && values[2] === form)
      ? [tidying]
      : [],
  );

/** One field of a draft: its name, with settings where the table alone does not say enough. */
function fieldText(table: Table, column: Column, group: string | undefined): string {
  const { name } = column;
  const measured = unitOf(column);
  const refers = table.references.some((each) => each.columns.length === 1 && each.columns[0] === name);
  const plain = refers ? name.replace(/_(code|key|no|number|uuid)$/i, "") : (measured?.rest ?? name);
  const help = written.find(([type]) => type.test(column.type.shown))?.[1] ?? likeExample(table, column);
  const rule = mayChange(column) ? ruleFor(table, column) : undefined;
  const tidied = tidyFor(table, column);
  const inGroup = group === undefined ? plain : plain.slice(group.length + 1) || plain;
  const settings = {
    ...(inGroup === name ? {} : { label: labelFrom(inGroup) }),
    ...(measured ? { unit: measured.unit } : {}),
    ...(group === undefined ? {} : { group: labelFrom(group) }),
    ...(rule === undefined ? {} : { rules: [rule] }),
    ...(tidied.length === 0 || !mayChange(column) ? {} : { tidy: tidied }),
    ...(isLong(column, table) ? { control: "multi-line" } : {}),
    ...(help === undefined || !mayChange(column) ? {} : { help }),
    ...(isStamp(column) && !Object.hasOwn(setOf(table), name) ? { "read-only": true } : {}),
  };
  const said = Object.keys(settings).length > 0 ? { [name]: settings } : name;
  return flow(said).replace(/^\{ (.*) \}$/s, "$1");
}

/** Whether a column most likely marks records as deleted that stay in the table: by when, or by yes or no. */
const marksDeleted = ({ name, type, nullable, default: given }: Column): boolean =>
  (/^(deleted|removed)_?(at|on)$/i.test(name) &&
    ["date", "timestamp", "timestamptz"].includes(type.kind) &&
    nullable &&
    given === null) ||
  (/^(is_?)?deleted$/i.test(name) && type.kind === "boolean");

/** What is said of such a column: nobody deletes a record by typing when it was deleted. */
const deletedLine = ({ name, type }: Column): string =>
  `# ${name} most likely marks records as deleted, so it is no field. To leave those out: access: { rows: ${
    type.kind === "boolean" ? `row.${name} != true` : `row.${name} == null`
  } }`;

/** The columns of a list: key, what tells most, and a few that are short. */
function listColumns(table: Table, key: readonly string[], telling: Column | undefined): readonly string[] {
  const short = table.columns.filter((column) => {
    const { name, type } = column;
    return (
      !key.includes(name) &&
      isShown(column) &&
      !mayBeLockVersion(column) &&
      !marksDeleted(column) &&
      (!["json", "other"].includes(type.kind) || rangeKind(type) !== undefined) &&
      (type.kind !== "uuid" || table.references.some(({ columns }) => columns.includes(name))) &&
      !long.test(name)
    );
  });
  // A running number or a uuid is read by nobody.
  const visible = key.filter((name) => !isSurrogate(table, columnOf(table, name) as Column));
  const names = [...visible, ...(telling ? [telling.name] : []), ...short.map((column) => column.name)];
  const distinct = [...new Set(names)].slice(0, 6);
  return distinct.length > 0 ? distinct : key;
}

/** At most this many filters are proposed. */
const mostFilters = 5;

/** The columns by which a list is narrowed most: those with few values to choose from. */
const filtersOf = (table: Table, catalog: Pick<Catalog, "tables">): readonly string[] =>
  table.columns
    .filter((column) => {
      if (!isShown(column)) return false;
      if (column.type.kind === "enum" || column.type.kind === "boolean") return true;
      if (table.demands.some(({ by, column: name }) => by === "in" && name === column.name)) return true;
      const choices = referencedChoices(column, table, catalog.tables);
      return choices?.by === "list" && choices.where === null;
    })
    .slice(0, mostFilters)
    .map(({ name }) => name);

/** What one record is called: `Station`. */
const oneOf = (table: Table): string => pluralize.singular(labelFrom(table.name));

/** What tells records of one name apart: another key that people can read, or the number that the table gives. A uuid is read by nobody. */
function apartBy(table: Table, key: readonly Column[], telling: Column): readonly Column[] {
  const columnsOf = (names: readonly string[]): readonly Column[] =>
    names.flatMap((name) => columnOf(table, name) ?? []);
  const keys = table.keys.map(({ columns }) => columnsOf(columns));
  if (keys.some((columns) => columns.length === 1 && columns[0] === telling)) return [];
  const readable = keys.find((columns) => columns.every((column) => isShown(column) && !isSurrogate(table, column)));
  return readable ?? key.filter(({ type }) => type.kind !== "uuid");
}

/** What a record without a name is known by: what it belongs to, and when it was. */
function placeAndTime(table: Table, key: readonly Column[]): readonly Column[] {
  const required = table.columns.filter((column) => !column.nullable && !key.includes(column) && isShown(column));
  const refers = ({ name }: Column): boolean => table.references.some(({ columns }) => columns.includes(name));
  const isMoment = (column: Column): boolean => ["date", "timestamp", "timestamptz"].includes(column.type.kind);
  const found = [
    required.find(refers),
    required.find((column) => isMoment(column) && !isStamp(column)) ?? required.find(isMoment),
  ];
  return found.filter((column) => column !== undefined);
}

/** `Station {code}, {name}`: what it is, its key where that says something, its most telling column, and what tells it apart from others. */
function titleOf(table: Table, key: readonly Column[], telling: Column | undefined): string {
  const named = !key.every((column) => isSurrogate(table, column)) ? key : [];
  const after = named.length === 0 ? (telling ? apartBy(table, key, telling) : key) : [];
  const isOpaque = key.every(({ type }) => type.kind === "uuid") && named.length === 0 && telling?.type.kind !== "text";
  const known = isOpaque ? placeAndTime(table, key) : [];
  const columns = known.length > 0 ? known : [...new Set([...named, ...(telling ? [telling] : []), ...after])];
  const places = columns.flatMap(({ name }) => (/[{}]/.test(name) ? [] : [`{${name}}`]));
  return `${oneOf(table)} ${places.join(", ")}`;
}

/** What the page says of a new record in its own words. */
function textsOf(table: Table): Readonly<Record<string, string>> {
  const one = oneOf(table).replace(/^./, (first) => first.toLowerCase());
  return { new: `New ${one}`, add: `Add ${one}` };
}

function draftText(
  table: Table,
  slug: string,
  catalog: Pick<Catalog, "tables">,
): Pick<DraftedPage, "text" | "key" | "warnings"> {
  const key = (table.keys[0]?.columns ?? []).flatMap((name) => columnOf(table, name) ?? []);
  const keyNames = key.map((column) => column.name);
  const told = tellingColumn(table, key[0] as Column);
  const telling = keyNames.includes(told.name) || !isShown(told) ? undefined : told;
  const others = table.columns.filter((column) => !key.includes(column));
  // A table of nothing but its key is edited by changing the key.
  const editable = !others.some((column) => mayChange(column) && isShown(column) && !mayBeLockVersion(column));
  const shownKey = key.filter((column) => editable || !isSurrogate(table, column));
  // What takes several lines comes last: everything else is seen at once.
  const set = setOf(table);
  // Nobody but other applications asks for it.
  const isCount = (column: Column): boolean => Object.hasOwn(set, column.name) && mayBeLockVersion(column);
  const deleted = others.find(marksDeleted);
  const shown = others.filter((column) => isShown(column) && !isCount(column) && column !== deleted);
  const fields = [
    ...shownKey,
    ...shown.filter((column) => !isLong(column, table)),
    ...shown.filter((column) => isLong(column, table)),
  ];
  const groups = groupsOf(fields);
  const left = others.filter((column) => !isShown(column)).map((column) => column.name);
  const lacking = table.columns.filter(
    (column) =>
      !column.nullable &&
      column.default === null &&
      column.written === "freely" &&
      !column.setByTrigger &&
      !fields.includes(column) &&
      !Object.hasOwn(set, column.name),
  );
  const makes =
    table.granted.insert &&
    lacking.length === 0 &&
    fields.every(
      (column) => column.granted.insert || column.default !== null || column.nullable || column.written === "always",
    );
  const warnings = warningsOf(table, makes);
  const filters = filtersOf(table, catalog);
  const comment = table.comment ? [`# ${table.comment.replaceAll(/\s+/g, " ")}`] : [];
  const lines = [
    `# Drafted from ${tableName(table).replaceAll(/[\r\n]/g, " ")}. What the table says (types, lengths, choices, constraints) holds without being written here.`,
    ...comment,
    ...warnings.map((each) => `# Warning: ${each.replaceAll(/[\r\n]/g, " ")}`),
    "format: loyal-quill/page@1",
    `title: ${flow(titleOf(table, key, telling))}`,
    `plural: ${flow(pluralize.plural(labelFrom(table.name)))}`,
    `path: ${flow(`/${slug}/${keyNames.map((name) => `{${name}}`).join("/")}`)}`,
    `record: ${flow({ table: tableName(table), key: keyNames.length === 1 ? keyNames[0] : keyNames, ...(editable ? { "key-editable": true } : {}) })}`,
    "# Everybody who is signed in may open this page and edit every record. To narrow it:",
    `# access: { open: actor.roles.exists(r, r in ["…"]), rows: row.… == actor.…, edit: row.… != "…", ${makes ? "new: true, " : ""}delete: true }${makes ? " # in the place of the next line" : ""}`,
    ...(deleted ? [deletedLine(deleted)] : []),
    ...(makes ? ["access: { new: true }"] : []),
    `list: ${flow({ columns: listColumns(table, keyNames, telling), ...(filters.length > 0 ? { filter: filters } : {}) })}`,
    ...(Object.keys(set).length > 0 ? [`set: ${flow(set)}`] : []),
    "fields:",
    ...fields.map((column) => `  - ${fieldText(table, column, groups.get(column.name))}`),
    ...(left.length > 0
      ? [`# Left out, since nobody should read it off a page or can: ${left.join(", ").replaceAll(/[\r\n]/g, " ")}`]
      : []),
    "answer: { saved: view }",
    ...(makes ? [`texts: ${flow(textsOf(table))}`] : []),
  ];
  return { text: `${lines.join("\n")}\n`, key: keyNames, warnings };
}

const warningsOf = (table: Table, makes: boolean): readonly string[] =>
  (["update", ...(makes ? (["insert"] as const) : [])] as const).flatMap((on) => rewriteWarning(table, on) ?? []);

/** Names for pages: the table's name as part of an address, with its schema's where that alone is taken. */
function nameOf(table: Table, taken: ReadonlySet<string>): string {
  const plain = slugOf(table.name.replaceAll(/([a-z0-9])([A-Z])/g, "$1-$2")) || "table";
  const full = `${slugOf(table.schema) || "schema"}-${plain}`;
  const free = [plain, full].find((each) => !taken.has(each) && !reserved.has(each));
  if (free !== undefined) return free;
  let number = 2;
  while (taken.has(`${full}-${number}`)) number += 1;
  return `${full}-${number}`;
}

/** The draft with the drafts whose records refer to its own by one foreign key, as far as its page loads what they refer to. */
function withRelated(
  draft: DraftedPage,
  drafts: readonly DraftedPage[],
  catalog: Pick<Catalog, "tables">,
): DraftedPage {
  const tableOf = (name: string): Table | undefined => catalog.tables.find((table) => tableName(table) === name);
  const own = tableOf(draft.table);
  const related = drafts.flatMap(({ name, table }) => {
    if (!own || table === draft.table) return [];
    const references = tableOf(table)?.references.filter(({ to }) => to.schema === own.schema && to.table === own.name);
    const [reference] = references ?? [];
    return references?.length === 1 && reference?.to.columns.every((column) => draft.key.includes(column))
      ? [name]
      : [];
  });
  if (related.length === 0) return draft;
  return { ...draft, text: draft.text.replace(/^(set|fields):/m, `related: ${flow(related)}\n$&`) };
}

/**
 * Makes page files from tables: a complete page each, that can be served as it is.
 *
 * @param wanted `schema.table`, or a table's name alone where only one schema has it; all tables where it is left out
 * @returns the drafts by name, and why the other tables and relations have none
 */
export function draftPages(
  catalog: Pick<Catalog, "tables" | "unusable">,
  wanted?: readonly string[],
): { readonly drafts: readonly DraftedPage[]; readonly without: readonly Undraftable[] } {
  const isWanted = (table: { schema: string; name: string }): boolean =>
    wanted === undefined || wanted.some((name) => name === tableName(table) || name === table.name);
  const drafts: DraftedPage[] = [];
  const without: Undraftable[] = catalog.unusable
    .filter(isWanted)
    .map((each) => ({ table: tableName(each), because: unusableBecause(each, catalog) }));
  const taken = new Set<string>();
  for (const table of catalog.tables.filter(isWanted)) {
    const because = obstacle(table);
    if (because !== null) {
      without.push({ table: tableName(table), because });
      continue;
    }
    const name = nameOf(table, taken);
    taken.add(name);
    drafts.push({ name, table: tableName(table), ...draftText(table, name, catalog) });
  }
  return { drafts: drafts.map((draft) => withRelated(draft, drafts, catalog)), without };
}
