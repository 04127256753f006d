import type { Setting } from "./setting.js";
import { line } from "./shapes.js";

export const description: Setting<string, string | null, "description"> = {
  label: "Description",
  about: "A line on the home page that says what the page is for.",
  without: "none",
  step: "route",
  editor: { kind: "line" },
  into: "description",
  schema: () => line,
  bind: (given) => given ?? null,
};
