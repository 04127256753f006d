import type { Template } from "../bound/template.js";
import type { Setting } from "../setting.js";
import { line } from "../shapes.js";

export const message: Setting<string, Template | null, "message"> = {
  label: "Success message",
  about: "The line that says what was done; `{column}` stands for a value.",
  without: "`TITLE is saved.`",
  step: "answer",
  editor: { kind: "line" },
  into: "message",
  schema: () => line,
  bind: (given, binder, path) => (given === undefined ? null : binder.template(given, path)),
};
