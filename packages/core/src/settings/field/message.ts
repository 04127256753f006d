import type { FieldSetting } from "../setting.js";
import { line } from "../shapes.js";

/** Null for the message of the type. */
export const message: FieldSetting<string, string | null, "message"> = {
  label: "Type error message",
  about: "What is said of a text that is no value of the column's type.",
  without: "a default line",
  editor: { kind: "line" },
  rare: true,
  into: "message",
  schema: () => line,
  bind: (given) => given ?? null,
};
