import type { Setting } from "../setting.js";
import { line } from "../shapes.js";

export const because: Setting<string, string | null, "because"> = {
  label: "Reason when locked",
  about: "What people are told of a record that they can see and can't edit.",
  without: "a default line",
  step: "access",
  editor: { kind: "line" },
  into: "because",
  schema: () => line,
  bind: (given) => given ?? null,
};
