import type { FieldSetting } from "../setting.js";
import { line } from "../shapes.js";

/** Bound with the choices. */
export const show: FieldSetting<string, string | null, "show"> = {
  label: "Show as",
  about: "For a reference: which column of the other table stands for a record.",
  without: "its name, another text, or its key",
  editor: { kind: "choice", options: "shown" },
  fits: "reference",
  into: "show",
  schema: () => line,
  bind: (given) => given ?? null,
};
