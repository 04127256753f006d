import { mostStepsOfPage, writtenSteps } from "../condition/budget.js";
import { asksFor, beforeARecord, type Condition, type ValueExpression } from "../condition/expression.js";
import { parseCondition, parseValue } from "../condition/parse.js";
import type { Choices } from "../controls/choice-source.js";
import { type Control, controlsFor, ownControl } from "../controls/index.js";
import {
  byPlace,
  capped,
  type Finding,
  isFatal,
  mostFindings,
  type Repair,
  type Stopped,
} from "../findings/finding.js";
import type { FindingCode } from "../findings/finding-codes.js";
import { offeredRule } from "../rules/offered.js";
import { pageRules, tableRules } from "../rules/read.js";
import { dependentPaths } from "../table/dependent-paths.js";
import { findTable } from "../table/find-table.js";
import { type Catalog, type Column, columnOf, type Key, type Table, tableName } from "../table/model.js";
import { nearest, suggestion } from "../values/nearest.js";
import { readValue } from "../values/read-value.js";
import { choicesFor, referencedChoices } from "./column-choices.js";
import { type Filter, filterWay } from "./filters.js";
import { labelFrom } from "./label.js";
import type { Check, Field, ListColumn, Page, SetColumn } from "./page.js";
import { type ParsedPage, type Path, spelling } from "./parse.js";
import { parsePath, pathProblem } from "./path.js";
import { routineOf } from "./routine.js";
import type { FieldSettings, Tidying } from "./schema.js";
import { looksSecret } from "./sensitive.js";
import { fieldSettings } from "./settings.js";
import { isSortable } from "./sorting.js";
import { reviewAgainstTable } from "./soundness.js";
import { parseTemplate, type Template } from "./template.js";

/** What of a database a page is bound to. */
export type PageCatalog = Pick<Catalog, "tables" | "routines">;

export type BindResult = { readonly page: Page | null; readonly findings: readonly Finding[] };

/** A field whose column is gone. */
const takeOff = (name: string): Repair => ({
  what: `take ${name} off the page`,
  edits: [{ do: "remove-fields", names: [name] }],
});

/** Zones that were found to be there: there are not many, and to look costs more than binding a field. */
const zones = new Set(["UTC"]);

function hasTimeZone(zone: string): boolean {
  if (zones.has(zone)) return true;
  try {
    new Intl.DateTimeFormat("en", { timeZone: zone });
  } catch {
    return false;
  }
  zones.add(zone);
  return true;
}

/** Whether a name in a form is one of its own controls', or of a control in a row of a list. */
const isReserved = (name: string): boolean => /^quill\.|^r\d+:/.test(name);

class Binder {
  readonly findings: Finding[] = [];
  /** The steps that the page's conditions may take so far. */
  private steps = 0;

  constructor(
    private readonly parsed: ParsedPage,
    private readonly catalog: PageCatalog,
    readonly table: Table,
  ) {}

  error(code: FindingCode, message: string, path: Path, offset = 0, key = false, repair?: Repair): null {
    this.findings.push(this.parsed.finding("error", code, message, path, offset, key, repair));
    return null;
  }

  warning(code: FindingCode, message: string, path: Path, repair?: Repair, stops?: Stopped): void {
    const finding = this.parsed.finding("warning", code, message, path, 0, false, repair);
    this.findings.push(stops ? { ...finding, stops } : finding);
  }

  column(name: string, path: Path, key = false): Column | null {
    const column = columnOf(this.table, name);
    if (column) return column;
    // Beyond what is listed no nearest name is looked for: to do so for thousands takes longest.
    const known = this.findings.length < mostFindings ? this.table.columns.map((each) => each.name) : [];
    return this.error(
      "unknown-column",
      `The table ${tableName(this.table)} has no column "${name}".${suggestion(name, known)}`,
      path,
      0,
      key,
      spelling(name, known) ?? (key ? takeOff(name) : undefined),
    );
  }

  template(text: string, path: Path): Template {
    const template = parseTemplate(text);
    for (const name of template.columns) this.column(name, path);
    return template;
  }

  condition(source: string | undefined, hasForm: boolean, path: Path): Condition | null {
    if (source === undefined) return null;
    const result = parseCondition(source, this.table, hasForm ? this.table : null);
    if (result.ok) return this.affordable(result.condition, path);
    const { message, offset, misspelt } = result.problem;
    return this.error(
      "condition",
      message,
      path,
      offset,
      false,
      misspelt && { what: `write ${misspelt.right}`, ...misspelt },
    );
  }

  /** A condition that the page still has steps for. */
  affordable(condition: Condition, path: Path): Condition | null {
    const before = this.steps;
    this.steps += writtenSteps(condition.expression);
    if (this.steps <= mostStepsOfPage) return condition;
    if (before > mostStepsOfPage) return null;
    const most = mostStepsOfPage.toLocaleString("en");
    return this.error(
      "condition",
      `With this one, the conditions of this page take more than ${most} steps. Make their lists shorter, or the conditions fewer.`,
      path,
    );
  }

  /** An expression for a column's value. */
  value(source: string, column: Column, path: Path): ValueExpression | null {
    const result = parseValue(source, column, this.table);
    if (result.ok) {
      const { expression } = result.value;
      const isFixed = expression.op === "literal" && expression.value !== null;
      if (!isFixed || readValue(column.type, String(expression.value), "UTC").ok) return result.value;
      return this.error("condition", `${source} is no ${column.type.shown}, as ${column.name} is.`, path);
    }
    const { message, offset } = result.problem;
    return this.error("condition", message, path, offset);
  }

  /** The columns that the page gives by itself. */
  sets(): readonly SetColumn[] {
    return Object.entries(this.parsed.file.set ?? {}).flatMap(([name, given]) => {
      const path: Path = ["set", name];
      const column = this.column(name, path, true);
      if (!column) return [];
      const { to, on = "both" } = typeof given === "string" ? { to: given } : given;
      const refuse = (message: string): [] => {
        this.error("set", message, path, 0, true);
        return [];
      };
      if (column.written === "always") return refuse(`${name} is always given by the table: it can't be set.`);
      if (this.isKey(column)) return refuse(`${name} is part of the key: it can't be set by itself.`);
      if (this.parsed.file.save?.routine !== undefined && on !== "new")
        return refuse("A routine saves for this page: give it the value as a parameter, or set it on new only.");
      // What a connection may do is no fact of the file.
      if (on !== "new" && !column.granted.update)
        this.warning(
          "not-granted",
          `This connection may not update ${name}, so no record is saved: grant UPDATE, or set it on new only.`,
          path,
          undefined,
          "edit",
        );
      if (on !== "save" && this.parsed.file.access?.new && !column.granted.insert)
        this.warning(
          "not-granted",
          `This connection may not insert ${name}, so no new record is made: grant INSERT, or set it on save only.`,
          path,
          undefined,
          "new",
        );
      const value = this.value(to, column, typeof given === "string" ? path : [...path, "to"]);
      return value ? [{ column, value, on }] : [];
    });
  }

  /** Whether the page gives a column's value by itself on such a write. */
  private isSet(name: string, on: "new" | "save"): boolean {
    const { set = {} } = this.parsed.file;
    const given = Object.hasOwn(set, name) ? set[name] : undefined;
    if (given === undefined) return false;
    const when = typeof given === "string" ? "both" : (given.on ?? "both");
    return when === "both" || when === on;
  }

  /** Who may make or delete records: nobody where the page does not say so. */
  allowed(what: "new" | "delete" | "history"): Condition | null {
    const told = this.parsed.file.access?.[what];
    if (told === undefined || told === false) return null;
    return this.condition(String(told), false, ["access", what]);
  }

  /** When a save must say why. */
  reason(): Condition | null {
    const told = this.parsed.file.save?.reason;
    if (told === undefined || told === false) return null;
    return this.condition(String(told), true, ["save", "reason"]);
  }

  /** Refuses a condition on the stored record where there is none yet. */
  withoutRow(condition: Condition | null, what: "open" | "new"): void {
    if (condition && asksFor(condition, "row")) this.error("condition", beforeARecord[what], ["access", what]);
  }

  /** The first safe key in the place of one that is not, in the address too. */
  private safeKey(): Repair | undefined {
    const [safe] = this.table.keys;
    if (!safe) return undefined;
    const fixed = this.parsed.file.path.replace(/\/\{.*$/, "");
    return {
      what: `take the key ${safe.columns.join(", ")}`,
      edits: [
        { do: "set", path: ["record", "key"], value: safe.columns.length === 1 ? safe.columns[0] : safe.columns },
        { do: "set", path: ["path"], value: `${fixed}/${safe.columns.map((name) => `{${name}}`).join("/")}` },
      ],
    };
  }

  key(): readonly Column[] {
    const { key } = this.parsed.file.record;
    const columns = [key].flat().map((name, index) => this.column(name, ["record", "key", index]));
    const named = columns.filter((column) => column !== null);
    const same = (each: Key): boolean =>
      each.columns.length === named.length && named.every((column) => each.columns.includes(column.name));
    if (named.length === columns.length && !this.table.keys.some(same)) {
      const safe = this.table.keys.map((each) => each.columns.join(", "));
      const advice =
        safe.length > 0
          ? `Safe keys of this table: ${safe.join("; ")}.`
          : "This table has no safe key: give it a primary key.";
      this.error(
        "key-not-unique",
        `${named.map((column) => column.name).join(", ")} is not a unique and not-null set of columns, so it may name more than one row. ${advice}`,
        ["record", "key"],
        0,
        false,
        this.safeKey(),
      );
    }
    return named;
  }

  field(name: string, settings: FieldSettings, path: Path): Field | null {
    const column = this.column(name, path, true);
    if (!column) return null;
    const choices = choicesFor(column, settings, this.table, this.catalog.tables, this, path);
    const control = this.control(column, settings, choices, path);
    const fixed = settings["read-only"] === true || column.written === "always";
    const keyFixed = this.isKey(column) && this.parsed.file.record["key-editable"] !== true;
    // A routine has rights of its own.
    const granted = this.parsed.file.save?.routine !== undefined || column.granted.update;
    const empty = this.empty(column, control, settings, path);
    return {
      column,
      formName: this.formName(name),
      label: settings.label ?? labelFrom(column.name),
      help: settings.help ?? column.comment,
      message: settings.message ?? null,
      unit: settings.unit ?? null,
      hint: settings.hint ?? null,
      group: settings.group ?? null,
      autocomplete: settings.autocomplete ?? "off",
      control,
      readOnly: fixed || keyFixed || !granted || this.isSet(name, "save"),
      hidden: column.sensitive === true && settings.sensitive !== "shown" && settings.default === undefined,
      empty,
      onNew: !fixed && column.granted.insert && !this.isSet(name, "new"),
      default:
        settings.default === undefined ? null : this.value(String(settings.default), column, [...path, "default"]),
      when: this.condition(settings.when, false, [...path, "when"]),
      tidy: this.tidyings(settings, path),
      rules: [
        ...pageRules(settings.rules ?? [], column, this, path),
        ...(settings.choices?.where ? offeredRule(choices) : []),
        ...tableRules(this.table, column, control, empty),
      ],
      choices: control === "choice" || control === "radio" ? choices : null,
    };
  }

  /** What an emptied control stores: a text that may not be null and has '' for its default takes that, and so does one of which the page says so. */
  private empty(column: Column, control: Control, settings: FieldSettings, path: Path): Field["empty"] {
    const isText = column.type.kind === "text" && !column.stamped && control !== "choice" && control !== "radio";
    if (settings.empty === "text" && !isText)
      this.error("wrong-value", "Only a text that is typed can be stored empty.", [...path, "empty"]);
    if (settings.empty !== undefined) return isText ? settings.empty : "nothing";
    const isDefault = /^''(?:::[\w ".()[\]]+)?$/.test(column.default ?? "");
    return isText && !column.nullable && isDefault ? "text" : "nothing";
  }

  /** The name of a field's control: its column's, where the page gives no other. */
  private formName(name: string): string {
    const { names = {} } = this.parsed.file;
    const nameOf = (column: string): string => (Object.hasOwn(names, column) ? (names[column] ?? column) : column);
    const given = nameOf(name);
    // What is called like a control of the form's own goes by another name there.
    if (!Object.hasOwn(names, name)) return isReserved(name) ? `column.${name}` : name;
    const path: Path = ["names", name];
    if (isReserved(given)) this.error("form-name", `"${given}" is a name of the form's own: choose another.`, path);
    const fields = fieldSettings(this.parsed.file).map((each) => each.name);
    if (fields.some((other) => other !== name && nameOf(other) === given))
      this.error("form-name", `Two fields would have the name "${given}" in the form.`, path);
    return given;
  }

  /** Names for fields that the page doesn't have. */
  strayNames(): void {
    const fields = fieldSettings(this.parsed.file).map((each) => each.name);
    for (const name of Object.keys(this.parsed.file.names ?? {}))
      if (!fields.includes(name))
        this.error(
          "unknown-field",
          `This page has no field "${name}".${suggestion(name, fields)}`,
          ["names", name],
          0,
          true,
          spelling(name, fields),
        );
  }

  /** A column that a search looks into. */
  searched(name: string, path: Path): Column | null {
    const column = this.column(name, path);
    if (!column?.sensitive) return column;
    return this.error("sensitive", `${name} is sensitive: a search would tell its values by what it finds.`, path);
  }

  /** Refuses values in an address that nobody is to be told. */
  untold({ columns }: Template, path: Path): void {
    for (const name of columns)
      if (columnOf(this.table, name)?.sensitive)
        this.error("sensitive", `${name} is sensitive: in an address it would stand in histories and logs.`, path);
  }

  /** The fields that are edited in the rows of the list. */
  editedInList(fields: readonly Field[]): readonly string[] {
    const { list, save } = this.parsed.file;
    if (list?.together && !list.edit)
      this.error("list-edit", "Rows are saved together where they can be edited: name columns in list.edit.", [
        "list",
        "together",
      ]);
    if (list?.edit && list.form === "beside")
      this.error(
        "list-edit",
        "Rows are edited in their places or in a form beside the list: leave one of edit and form out.",
        ["list", "form"],
      );
    return (list?.edit ?? []).flatMap((name, index) => {
      const path: Path = ["list", "edit", index];
      const names = fields.map((field) => field.column.name);
      const field = fields.find((each) => each.column.name === name);
      if (!field) {
        this.error(
          "unknown-field",
          `This page has no field "${name}".${suggestion(name, names)}`,
          path,
          0,
          false,
          spelling(name, names),
        );
        return [];
      }
      const { choices, column } = field;
      const bySearch = choices?.from === "table" && choices.by === "search";
      // How many records there are to choose from, and what a connection may do, are no facts of the file.
      const atPresent = !column.granted.update
        ? `this connection may not update it: grant UPDATE`
        : bySearch &&
            fieldSettings(this.parsed.file).find((each) => each.name === name)?.settings.choices?.by !== "search"
          ? "there are so many records to choose from that they are found by searching"
          : null;
      const because = save?.routine
        ? "a routine saves for this page, which takes every field"
        : field.control === "file"
          ? "it is a file"
          : atPresent === null && field.readOnly
            ? "it is shown only"
            : atPresent === null && bySearch
              ? "its choices are found by searching"
              : choices?.from === "table" && (choices.where?.formColumns.length ?? 0) > 0
                ? "its choices depend on other fields"
                : null;
      if (because !== null)
        this.error("list-edit", `"${name}" can't be edited in the rows of the list: ${because}.`, path);
      else if (atPresent !== null)
        this.warning(
          "list-edit",
          `"${name}" is shown in the rows of the list and not edited there: ${atPresent}.`,
          path,
        );
      return because === null && atPresent === null ? [name] : [];
    });
  }

  private tidyings(settings: FieldSettings, path: Path): readonly Tidying[] {
    for (const [index, tidying] of (settings.tidy ?? []).entries()) {
      if (typeof tidying === "object") this.column(tidying.slug, [...path, "tidy", index, "slug"]);
    }
    return settings.tidy ?? [];
  }

  private isKey({ name }: Column): boolean {
    const { key } = this.parsed.file.record;
    return typeof key === "string" ? key === name : key.includes(name);
  }

  private control(column: Column, settings: FieldSettings, choices: Choices | null, path: Path): Control {
    const wanted = settings.control;
    const possible = controlsFor(column, choices);
    if (wanted && !possible.includes(wanted)) {
      this.error(
        "control",
        `A ${column.type.shown} can't be shown in a control "${wanted}". Possible: ${possible.join(", ")}.`,
        [...path, "control"],
        0,
        false,
        {
          what: `show ${column.name} as the table says`,
          edits: [{ do: "set", path: ["fields", column.name, "control"], value: undefined }],
        },
      );
    }
    return wanted ?? ownControl(column, choices);
  }

  listColumns(fields: readonly Field[]): readonly ListColumn[] {
    const labelled = new Map(fields.map((field) => [field.column.name, field.label]));
    const chosen = this.parsed.file.list?.columns;
    const names =
      chosen ??
      [
        ...new Set([
          ...[this.parsed.file.record.key].flat(),
          ...fields.flatMap(({ column }) => (column.sensitive ? [] : [column.name])),
        ]),
      ].slice(0, 5);
    const edited = this.parsed.file.list?.edit?.filter((name) => !names.includes(name)) ?? [];
    return [...names, ...edited].flatMap((name, index) => {
      const column = this.column(name, ["list", "columns", index]);
      if (!column) return [];
      const field = fields.find((each) => each.column.name === name);
      // A key stands for itself, so that it can be read and found as it is.
      const choices =
        field?.choices?.from === "table" ? field.choices : referencedChoices(column, this.table, this.catalog.tables);
      // What depends on another column is known by its value only.
      const joined = this.isKey(column) || (choices?.where?.formColumns.length ?? 0) > 0 ? null : choices;
      const key = [this.parsed.file.record.key].flat().flatMap((each) => columnOf(this.table, each) ?? []);
      // What is shown of a reference is its label, whose order is not that of the column.
      const sortable = !joined && !column.sensitive && isSortable(this.table, column, key);
      return [{ column, label: labelled.get(name) ?? labelFrom(name), choices: joined, sortable }];
    });
  }

  filters(fields: readonly Field[]): readonly Filter[] {
    return (this.parsed.file.list?.filter ?? []).flatMap((name, index) => {
      const path: Path = ["list", "filter", index];
      const column = this.column(name, path);
      if (!column) return [];
      if (column.sensitive)
        return (
          this.error("sensitive", `${name} is sensitive: a filter would tell its values by what it finds.`, path) ?? []
        );
      const field = fields.find((each) => each.column.name === name);
      const demand = this.table.demands.find((each) => each.by === "in" && each.column === name);
      const labels = column.type.kind === "enum" ? column.type.labels : (demand?.values ?? null);
      const own = field?.choices?.from === "table" ? field.choices : null;
      const referenced = referencedChoices(column, this.table, this.catalog.tables);
      // What a field restricts its choices to is for what is chosen anew; records keep what they have.
      const choices = own && referenced ? { ...own, where: referenced.where } : (own ?? referenced);
      const way = filterWay(column, labels, choices);
      if (way) return [{ column, label: field?.label ?? labelFrom(name), way }];
      this.error(
        "no-filter",
        `A list can't be filtered by "${name}", a ${column.type.shown} that always has a value and no choices: search in it instead, by list.search.`,
        path,
      );
      return [];
    });
  }

  checks(fields: readonly Field[]): readonly Check[] {
    return (this.parsed.file.checks ?? []).flatMap((check, index) => {
      const path: Path = ["checks", index];
      const condition = this.condition(check.expect, true, [...path, "expect"]);
      const names = fields.map((field) => field.column.name);
      if (check.at !== undefined && !names.includes(check.at)) {
        this.error(
          "unknown-field",
          `This page has no field "${check.at}".${suggestion(check.at, names)}`,
          [...path, "at"],
          0,
          false,
          spelling(check.at, names),
        );
      }
      return condition ? [{ condition, at: check.at ?? null, message: check.message }] : [];
    });
  }
}

function tableOf(parsed: ParsedPage, tables: readonly Table[]): Table | Finding {
  const name = parsed.file.record.table;
  const table = findTable(tables, name);
  if (table) return table;
  const known = tables.map(tableName);
  const hint = nearest(name, known) === undefined ? "" : suggestion(name, known);
  return parsed.finding("error", "unknown-table", `There is no table "${name}" that this connection may read.${hint}`, [
    "record",
    "table",
  ]);
}

/** The table with the columns marked that are files of the page, or whose values are told to nobody. */
function withMarks(table: Table, parsed: ParsedPage): Table {
  const settings = new Map(fieldSettings(parsed.file).map((each) => [each.name, each.settings]));
  const keys = new Set([parsed.file.record.key].flat());
  const marked = (column: Column): Column => {
    const { control, sensitive } = settings.get(column.name) ?? {};
    // A file is told by a stamp, and a key stands in every address.
    if (control === "file") return { ...column, stamped: true };
    const isSensitive = (sensitive ?? looksSecret(column)) !== false && !keys.has(column.name);
    return isSensitive ? { ...column, sensitive: true } : column;
  };
  const columns = table.columns.map(marked);
  return columns.some((column, index) => column !== table.columns[index]) ? { ...table, columns } : table;
}

/**
 * Binds a page file to the table that it names, and to what else of the database it uses.
 *
 * @param name the page's name: the file's name without its ending
 * @param version what changes when the file or the table does; travels in every form's token
 * @returns the page, null when there is an error among the findings; the findings by place
 */
export function bindPage(name: string, version: string, parsed: ParsedPage, catalog: PageCatalog): BindResult {
  const found = tableOf(parsed, catalog.tables);
  if ("severity" in found) return { page: null, findings: [found] };
  const table = withMarks(found, parsed);
  const { file } = parsed;
  const binder = new Binder(parsed, catalog, table);
  if (table.schema === "quill_log")
    binder.error("log-table", "This is the change log: through a page its entries could be changed.", ["record"]);
  const key = binder.key();
  const path =
    parsePath(file.path) ??
    binder.error("path", "The address must be fixed segments and then the key's columns, like /stations/{code}.", [
      "path",
    ]);
  const wrong = path && pathProblem(file.path);
  if (wrong) binder.error("path", wrong, ["path"]);
  const keyNames = [file.record.key].flat();
  if (path && (path.columns.length !== keyNames.length || !keyNames.every((each) => path.columns.includes(each)))) {
    binder.error("path", `The address must carry the key: ${keyNames.map((each) => `{${each}}`).join("/")}.`, ["path"]);
  }
  const timeZone = file["time-zone"] ?? "UTC";
  if (!hasTimeZone(timeZone))
    binder.error("time-zone", `"${timeZone}" is not a name of the IANA time zone database.`, ["time-zone"]);
  const settings = fieldSettings(file);
  const seen = new Set<string>();
  const fields = settings.flatMap((each) => {
    if (seen.has(each.name)) binder.error("field-twice", `The field "${each.name}" stands here twice.`, each.path);
    seen.add(each.name);
    return binder.field(each.name, each.settings, each.path) ?? [];
  });
  binder.strayNames();
  const edit = binder.condition(file.access?.edit, false, ["access", "edit"]);
  const open = binder.condition(file.access?.open, false, ["access", "open"]);
  binder.withoutRow(open, "open");
  const make = binder.allowed("new");
  binder.withoutRow(make, "new");
  const sortName = file.list?.sort ?? keyNames[0] ?? "";
  const sort = binder.column(sortName.replace(/^-/, ""), ["list", "sort"]);
  const columns = binder.listColumns(fields);
  const page = {
    name,
    version,
    title: binder.template(file.title, ["title"]),
    plural: file.plural ?? labelFrom(table.name),
    description: file.description ?? null,
    table,
    key: path ? path.columns.flatMap((each) => key.find((column) => column.name === each) ?? []) : key,
    language: file.language ?? "en",
    timeZone,
    access: {
      open,
      edit,
      rows: binder.condition(file.access?.rows, false, ["access", "rows"]),
      new: make,
      delete: binder.allowed("delete"),
      history: binder.allowed("history"),
      because: file.access?.because ?? null,
    },
    fields,
    related: (file.related ?? []).map((each) =>
      typeof each === "string" ? { name: each, by: null } : { name: each.page, by: each.by ?? null },
    ),
    reason: binder.reason(),
    sets: binder.sets(),
    checks: binder.checks(fields),
    routine: routineOf(file.save, table, catalog.routines, binder),
    dependents: file.access?.delete ? dependentPaths(table, catalog.tables) : [],
    answer: {
      saved: file.answer?.saved ?? "list",
      to: file.answer?.to ? binder.template(file.answer.to, ["answer", "to"]) : null,
      message: file.answer?.message ? binder.template(file.answer.message, ["answer", "message"]) : null,
    },
  };
  const search = file.list?.search?.flatMap((each, index) => binder.searched(each, ["list", "search", index]) ?? []);
  if (page.answer.to) binder.untold(page.answer.to, ["answer", "to"]);
  const list = sort && {
    columns,
    sort: { column: sort, down: sortName.startsWith("-") },
    search: search ?? null,
    filters: binder.filters(fields),
    edit: binder.editedInList(fields),
    together: file.list?.together === true,
    beside: file.list?.form === "beside",
  };
  if (!path || !list || binder.findings.some(isFatal))
    return { page: null, findings: capped(binder.findings.sort(byPlace)) };
  const sound = { ...page, path, list, stopped: [] };
  const findings = [...binder.findings, ...reviewAgainstTable(sound, parsed)].sort(byPlace);
  const stopped = [...new Set(findings.flatMap(({ stops }) => stops ?? []))];
  const inRows = stopped.includes("edit") ? [] : list.edit;
  const whole: Page = stopped.length > 0 ? { ...sound, list: { ...list, edit: inRows }, stopped } : sound;
  return { page: findings.some(isFatal) ? null : whole, findings: capped(findings) };
}
