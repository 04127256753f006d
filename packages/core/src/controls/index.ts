import type { Column } from "../table/model.js";
import { Registry } from "../values/registry.js";
import { checkBox } from "./check-box.js";
import { choice } from "./choice.js";
import type { Choices } from "./choice-source.js";
import type { ControlKind } from "./control.js";
import { date } from "./date.js";
import { dateTime } from "./date-time.js";
import { entries } from "./entries.js";
import { file } from "./file.js";
import { multiLine } from "./multi-line.js";
import { number } from "./number.js";
import { radio } from "./radio.js";
import { range } from "./range.js";
import { text } from "./text.js";

/** The only list of our controls. */
const ours = {
  "check-box": checkBox,
  choice,
  radio,
  entries,
  file,
  text,
  "multi-line": multiLine,
  number,
  date,
  "date-time": dateTime,
  range,
};

/** The control of a field: which HTML element shows it and how its text is taken. */
export type Control = keyof typeof ours | (string & Record<never, never>);

const registry = new Registry<ControlKind>("control", Object.values(ours));

/** Adds a control, in this whole process. */
export const addControl = registry.add.bind(registry);

/** Takes back what was added. */
export const forgetControls = registry.forget.bind(registry);

/** Counts up with everything that is added. */
export const controlsVersion = (): number => registry.version;

/** The controls that a field can ask for; without one the column's type decides. */
export const controlNames = (): readonly Control[] => registry.all.map(({ name }) => name);

/** What is known of a control. */
export function controlKind(control: Control): ControlKind {
  const kind = registry.get(control);
  if (!kind) throw new Error(`There is no control "${control}".`);
  return kind;
}

/** The controls that can show a column's values. */
export const controlsFor = (column: Column, choices: Choices | null): readonly Control[] =>
  controlNames().filter((name) => controlKind(name).shows(column, choices));

/** The control that a column has where a page does not say: its type's own, or a plain text. */
export function ownControl(column: Column, choices: Choices | null): Control {
  const possible = controlsFor(column, choices);
  const has = (suits: (kind: ControlKind) => boolean | undefined): Control | undefined =>
    possible.find((name) => Object.hasOwn(ours, name) && suits(controlKind(name)));
  return has((kind) => !kind.isPlain) ?? has((kind) => kind.prefers?.(column)) ?? "text";
}
