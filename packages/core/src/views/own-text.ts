import { word } from "../messages/messages.js";
import type { Page } from "../page/page.js";
import type { Row, Stored } from "../postgres/statement.js";
import type { Template } from "../settings/bound/template.js";
import { byName } from "../values/by-name.js";
import { renderTemplate } from "./told.js";

/** A template filled with a record's values; those of its key are known also where the row is not. */
export function renderFor(page: Page, template: Template, row: Row, key: readonly string[]): string {
  const named = byName<Stored>();
  for (const [place, { name }] of page.key.entries()) named[name] = key[place] ?? null;
  for (const name of template.columns) if (row[name] !== undefined) named[name] = row[name];
  return renderTemplate(page, template, named);
}

/** The page's own texts that may tell a record's values. */
type TextOfRecord = Exclude<keyof Page["texts"], "introduction" | "empty">;

/** The record that a text is about: empty for what is still to be made. */
export interface Subject {
  readonly page: Page;
  readonly row: Row;
  readonly key: readonly string[];
}

/** A text of the page's own; null where the page has none. */
export const ownText = ({ page, row, key }: Subject, name: TextOfRecord): string | null => {
  const template = page.texts[name];
  return template && renderFor(page, template, row, key);
};

/** What the button that saves a form says. */
export const saveText = (subject: Subject, form: "edit" | "new"): string => {
  const { language } = subject.page;
  return form === "new"
    ? (ownText(subject, "add") ?? word(language, "add"))
    : (ownText(subject, "save") ?? word(language, "update"));
};

/** What the way to a record's deletion says. */
export const deleteText = (subject: Subject): string =>
  ownText(subject, "remove") ?? word(subject.page.language, "delete");

/** What the way to a new record says: the heading of its form, where nothing of it is still to be known. */
export function newText(page: Page, row: Row = {}): string {
  const { create } = page.texts;
  const isKnown = create?.columns.every((name) => row[name] !== undefined);
  return create && isKnown ? renderFor(page, create, row, []) : word(page.language, "new-record");
}
