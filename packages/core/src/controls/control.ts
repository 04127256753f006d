import type { attributes } from "../markup/markup.js";
import { escaped, html, Markup } from "../markup/markup.js";
import type { MessageCode } from "../messages/catalog.js";
import type { Language } from "../messages/messages.js";
import type { Stored } from "../postgres/statement.js";
import { castText } from "../postgres/text-form.js";
import type { Column } from "../table/model.js";
import type { ReadValue } from "../values/read-value.js";
import type { Choices } from "./choice-source.js";

export type Attributes = Parameters<typeof attributes>[0];

export interface Option {
  readonly value: string;
  readonly label: string;
}

/** What a control is written from. */
interface ControlParts {
  readonly column: Column;
  /** The name of the hidden control beside a box (see `check-box.ts`). */
  readonly box: string;
  /** What every control of the field has: id, name, what describes it. */
  readonly common: Attributes;
  /** The type of a text input: `text`, or what a rule asks for. */
  readonly type: string;
  readonly autocomplete: string;
  readonly text: string;
  readonly options: readonly Option[];
  /** What it says by itself, in the page's language. */
  readonly words: Readonly<Record<"chooseFile" | "removeFile" | "from" | "until" | "firstDay" | "lastDay", string>>;
  /** What stands in it, as its `content` writes it. */
  readonly content: Markup;
  /** What the script of the pages goes by, where the choices are searched or depend on others. */
  readonly choosing: Attributes;
}

/** Everything that is known of one control: which HTML element shows a value and how its text is taken. */
export interface ControlKind<Name extends string = string> {
  readonly name: Name;
  /** Whether it can show the values of a column. */
  shows(column: Column, choices: Choices | null): boolean;
  /** A plain text, which a column has only where no other control can show it, or the page says so. */
  readonly isPlain?: true;
  /** Whether a column would rather have this plain one. */
  prefers?(column: Column): boolean;
  /** Whether it keeps a text as it is, the way through a browser included. */
  keeps(text: string): boolean;
  /** The control that takes its place for what it doesn't keep. */
  readonly plainer?: "text" | "multi-line";
  /** Which stored values it doesn't keep, as a predicate over `name`; null where it keeps all of the column's type. */
  unshown?(name: string, column: Column): string | null;
  /** The text for a value that is not null: the stored one where it does not say. */
  textOf?(stored: string, column: Column, timeZone: string, language: Language): string;
  /** The text of the value that a typed text stands for, where the control writes it another way. */
  valueText?(text: string, column: Column): string;
  /** Reads a typed text by itself; null for one that is read as any other of the column's type. */
  read?(text: string, column: Column, timeZone: string, language: Language): ReadValue | null;
  /** The text of what several elements of its one name hold, in their order. */
  joined?(texts: readonly string[]): string;
  /** What it means where only the hidden control beside it was sent. */
  readonly unsent?: string;
  /** Whether it is several elements, which have a legend instead of a label (HTML, 4.10.15). */
  readonly isGroup?: true;
  /** The text for null. */
  readonly empty?: string;
  /** A text (line breaks as LF) as it is the same before and after a browser's form submission. */
  normal?(text: string): string;
  /** Why a value that was read can't be taken by it, as it could not show it again. */
  refuses?(value: Exclude<Stored, null>): MessageCode | null;
  /** What is said of a text that was begun and not finished, for which a browser sends nothing (HTML, 4.10.5.1.7). */
  readonly unfinished?: MessageCode;
  /** The text for people who only read it; with its dash for an empty one. */
  told?(text: string, language: Language): string;
  /** What stands in it. */
  content?(column: Column, text: string, options: readonly Option[]): string;
  /** Whether it says what it holds by its own HTML, not by what stands in it. */
  readonly isBox?: true;
  /** Whether it is a developer's own, whose HTML is written each time. */
  readonly isOwn?: true;
  /** What else of a text its HTML depends on. */
  shape?(text: string): string;
  write(parts: ControlParts): Markup;
}

/** An `input` element with a value. */
export const line = (given: Markup, content: Markup): Markup => html`<input${given} value="${content}">`;

export const contentOf = (kind: ControlKind, column: Column, text: string, options: readonly Option[]): Markup =>
  new Markup(kind.content ? kind.content(column, text, options) : escaped(text));

/** A text without line breaks: a single-line control drops them (HTML, 4.10.5.1.2). */
export const isSingleLine = (text: string): boolean => !/[\r\n]/.test(text);

/** Which stored values hold a line break; null for types whose text form never has one. */
export const withLineBreaks = (name: string, column: Column): string | null =>
  ["text", "json", "other", "enum"].includes(column.type.kind) ? `${castText(name, column)} ~ '[\\n\\r]'` : null;

/** Which stored moments are not in the calendar of date controls (HTML, 2.3.5). */
export const outOfCalendar = (name: string): string =>
  `(NOT isfinite(${name}) OR ${name} < '0001-01-01' OR ${name} >= '10000-01-01')`;
