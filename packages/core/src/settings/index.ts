import { because } from "./access/because.js";
import { remove } from "./access/delete.js";
import { edit } from "./access/edit.js";
import { history } from "./access/history.js";
import { create } from "./access/new.js";
import { open } from "./access/open.js";
import { rows } from "./access/rows.js";
import { message } from "./answer/message.js";
import { saved } from "./answer/saved.js";
import { to } from "./answer/to.js";
import { checks } from "./checks.js";
import { constraints } from "./constraints.js";
import { describe } from "./described.js";
import { description } from "./description.js";
import { fieldSettings } from "./field/index.js";
import { fields } from "./fields.js";
import { language } from "./language.js";
import { columns } from "./list/columns.js";
import { edit as editInRows } from "./list/edit.js";
import { filter } from "./list/filter.js";
import { form } from "./list/form.js";
import { search } from "./list/search.js";
import { sort } from "./list/sort.js";
import { spreadsheet } from "./list/spreadsheet.js";
import { together } from "./list/together.js";
import { names } from "./names.js";
import { path } from "./path.js";
import { plural } from "./plural.js";
import { key } from "./record/key.js";
import { keyEditable } from "./record/key-editable.js";
import { table } from "./record/table.js";
import { related } from "./related.js";
import { parameters } from "./save/parameters.js";
import { reason } from "./save/reason.js";
import { routine } from "./save/routine.js";
import { set } from "./set.js";
import type { FileOf } from "./setting.js";
import { add } from "./texts/add.js";
import { added } from "./texts/added.js";
import { remove as removeText } from "./texts/delete.js";
import { deleted } from "./texts/deleted.js";
import { empty } from "./texts/empty.js";
import { introduction } from "./texts/introduction.js";
import { create as createText } from "./texts/new.js";
import { question } from "./texts/question.js";
import { save as saveText } from "./texts/save.js";
import { timeZone } from "./time-zone.js";
import { title } from "./title.js";

/** The only list of a page's settings, by their names in the file, in the order in which they are edited. */
export const record = { table, key, "key-editable": keyEditable };
export const access = { open, rows, edit, new: create, delete: remove, history, because };
export const list = { columns, search, filter, edit: editInRows, together, form, sort, spreadsheet };
export const save = { reason, routine, parameters };
export const answer = { saved, message, to };
export const texts = {
  new: createText,
  introduction,
  empty,
  save: saveText,
  add,
  delete: removeText,
  question,
  added,
  deleted,
};
export const pageSettings = {
  title,
  plural,
  description,
  path,
  record: { needed: true, settings: record },
  language,
  "time-zone": timeZone,
  access: { settings: access },
  list: { settings: list },
  related,
  fields,
  names,
  set,
  checks,
  constraints,
  save: { settings: save },
  answer: { settings: answer },
  texts: { settings: texts },
} as const;

/** What stands in a page file beside its `format`. */
export type SettingsInFile = FileOf<typeof pageSettings>;

/** All settings as data: for the documentation and the workbench. */
export const describedSettings = () => ({ page: describe(pageSettings), field: describe(fieldSettings) });
