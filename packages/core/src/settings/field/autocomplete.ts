import type { FieldSetting } from "../setting.js";
import { line } from "../shapes.js";

/** What browsers may fill in (HTML, 4.10.18.7). */
export const autocomplete: FieldSetting<string, string, "autocomplete"> = {
  label: "Autocomplete",
  about: "What browsers may fill in, in the words of HTML: `email`, `tel`.",
  without: "`off`",
  editor: { kind: "line", placeholder: "off" },
  rare: true,
  into: "autocomplete",
  schema: () => line,
  bind: (given) => given ?? "off",
};
