import { attributes, Markup } from "../markup/markup.js";
import type { Language } from "../messages/messages.js";
import type { Column, Kind } from "../table/model.js";
import { guardedly, OwnCodeFailed } from "../values/registry.js";
import type { ControlKind } from "./control.js";
import { addControl } from "./index.js";

/** What a developer's own control is written from. */
export interface OwnControlParts {
  /** The attributes that the control must have: id, name, what describes it, whether it is wrong. */
  readonly attributes: Markup;
  readonly id: string;
  readonly name: string;
  /** What stands in it. */
  readonly text: string;
  readonly column: Pick<Column, "name" | "nullable">;
}

/** A control of a developer's own: the HTML that shows a value, and how its text is read and shown. */
export interface OwnControl {
  /** By which page files name it: small letters with hyphens, like `colour-picker`. */
  readonly name: string;
  /** The kinds of column that it can show; `text` where it is left out. */
  readonly fits?: readonly Kind[];
  /** Its HTML, made with `html`, so that every value in it is escaped. One control with the given attributes must be in it; the label is ours. */
  write(parts: OwnControlParts): Markup;
  /** The text that stands in it for a stored value: the value itself, in PostgreSQL's text form, where it is left out. */
  textOf?(stored: string): string;
  /** The value that a typed text stands for, where it is written in another way: the opposite of `textOf`. */
  valueText?(text: string): string;
  /** The text for people who only read it. */
  told?(text: string, language: Language): string;
  /**
   * Whether it brings a text back from the browser as it was. One that it doesn't keep is shown in a plain control, so that nothing is lost: a text with
   * line breaks, where it is left out.
   */
  keeps?(text: string): boolean;
}

function kindFrom(own: OwnControl, source: string): ControlKind {
  const fits = own.fits ?? ["text"];
  const called = <Result>(run: () => Result): Result => guardedly(`the control ${own.name}`, run);
  return {
    name: own.name,
    shows: (column, choices) => choices === null && fits.includes(column.type.kind),
    isPlain: true,
    isOwn: true,
    keeps: own.keeps ? (text) => called(() => own.keeps?.(text) ?? true) : (text) => !/[\r\n]/.test(text),
    plainer: "multi-line",
    ...(own.textOf ? { textOf: (stored: string) => called(() => own.textOf?.(stored) ?? stored) } : {}),
    ...(own.valueText ? { valueText: (text: string) => called(() => own.valueText?.(text) ?? text) } : {}),
    ...(own.told
      ? { told: (text: string, language: Language) => called(() => own.told?.(text, language) ?? text) }
      : {}),
    write: ({ common, column, text }) => {
      const { id, name } = common;
      const written = called(() =>
        own.write({
          attributes: attributes(common),
          id: String(id),
          name: String(name),
          text,
          column: { name: column.name, nullable: column.nullable },
        }),
      );
      if (!(written instanceof Markup))
        throw new OwnCodeFailed(
          `The control ${own.name} in ${source} must write its HTML with html\`…\`, which escapes values.`,
        );
      return written;
    },
  };
}

/**
 * Adds a control of a developer's own to those that page files can name, in this whole process.
 *
 * @param source where it stands, for messages
 * @throws where its name is taken, or is none, or it writes nothing
 */
export function addOwnControl(own: OwnControl, source: string): void {
  if (typeof own.write !== "function")
    throw new Error(`The control "${String(own.name)}" in ${source} has no function "write", which makes its HTML.`);
  addControl(kindFrom(own, source), own, source);
}
