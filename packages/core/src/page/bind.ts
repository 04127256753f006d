import { byPlace, capped, type Finding, isFatal } from "../findings/finding.js";
import { fieldSettings } from "../settings/field/index.js";
import { access, answer, list, pageSettings, record, save, texts } from "../settings/index.js";
import type { AnySetting, BoundOf } from "../settings/setting.js";
import { dependentPaths } from "../table/dependent-paths.js";
import { findTable } from "../table/find-table.js";
import { looksSecret } from "../table/looks-secret.js";
import { type Column, type Table, tableName } from "../table/model.js";
import { nearest, suggestion } from "../values/nearest.js";
import { Binder, type PageCatalog } from "./binder.js";
import { FieldBinder } from "./field-binder.js";
import { fieldsIn } from "./fields-in.js";
import type { Field, Page } from "./page.js";
import type { ParsedPage, Path } from "./parse.js";
import { reviewAgainstTable } from "./soundness.js";

export type BindResult = { readonly page: Page | null; readonly findings: readonly Finding[] };

function tableOf(parsed: ParsedPage, tables: readonly Table[]): Table | Finding {
  const name = parsed.file.record.table;
  const table = findTable(tables, name);
  if (table) return table;
  const known = tables.map(tableName);
  const hint = nearest(name, known) === undefined ? "" : suggestion(name, known);
  return parsed.finding("error", {
    code: "unknown-table",
    message: `There is no table "${name}" that this connection may read.${hint}`,
    path: ["record", "table"],
  });
}

/** The table with the columns marked that are files of the page, or whose values are told to nobody. */
function withMarks(table: Table, parsed: ParsedPage): Table {
  const settings = new Map(fieldsIn(parsed.file).map((each) => [each.name, each.settings]));
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

/** What binding makes of settings that stand side by side in a file. */
function boundOf<All extends object>(all: All, file: object | undefined, context: Binder | FieldBinder, path: Path) {
  const given = (file ?? {}) as Readonly<Record<string, unknown>>;
  const settings = (Object.entries(all) as [string, AnySetting][]).filter(([, setting]) => "into" in setting);
  return Object.fromEntries(
    settings.map(([name, { into, bind }]) => [into, bind(given[name], context, [...path, name])]),
  ) as BoundOf<All>;
}

function fieldsOf(binder: Binder): readonly Field[] {
  const seen = new Set<string>();
  return fieldsIn(binder.file).flatMap(({ name, settings, path }, place) => {
    if (seen.has(name)) binder.error("field-twice", `The field "${name}" stands here twice.`, path);
    seen.add(name);
    const column = binder.column(name, path, true);
    if (!column) return [];
    const field = new FieldBinder(binder, column, settings, path);
    const bound = boundOf(fieldSettings, settings, field, path);
    return [{ ...bound, column, place, formName: field.formName(), onNew: field.isOnNew() }];
  });
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
  const { file } = parsed;
  const binder = new Binder(parsed, catalog, withMarks(found, parsed));
  if (found.schema === "quill_log")
    binder.error("log-table", "This is the change log: through a page its entries could be changed.", ["record"]);
  binder.fields = fieldsOf(binder);
  const sound: Page = {
    name,
    version,
    ...boundOf(pageSettings, file, binder, []),
    fields: binder.fields,
    ...boundOf(record, file.record, binder, ["record"]),
    ...boundOf(save, file.save, binder, ["save"]),
    access: boundOf(access, file.access, binder, ["access"]),
    list: boundOf(list, file.list, binder, ["list"]),
    answer: boundOf(answer, file.answer, binder, ["answer"]),
    texts: boundOf(texts, file.texts, binder, ["texts"]),
    dependents: file.access?.delete ? dependentPaths(binder.table, catalog.tables) : [],
    stopped: [],
  };
  if (binder.findings.some(isFatal)) return { page: null, findings: capped(binder.findings.sort(byPlace)) };
  const findings = [...binder.findings, ...reviewAgainstTable(sound, parsed)].sort(byPlace);
  const stopped = [...new Set(findings.flatMap(({ stops }) => stops ?? []))];
  const edit = stopped.includes("edit") ? [] : sound.list.edit;
  const page: Page = stopped.length > 0 ? { ...sound, list: { ...sound.list, edit }, stopped } : sound;
  return { page: findings.some(isFatal) ? null : page, findings: capped(findings) };
}
