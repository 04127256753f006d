import * as v from "valibot";
import type { FieldSetting } from "../setting.js";

/** Whether browsers mark spelling and grammar in the control (HTML, 6.8.4); null leaves it to them. */
export const spellcheck: FieldSetting<boolean, boolean | null, "spellcheck"> = {
  label: "Spellcheck",
  about: "`false`: browsers mark no spelling in it, as for codes and names; `true`: they do.",
  without: "left to the browser",
  editor: {
    kind: "choice",
    options: [
      { id: "", text: "Default (from the browser)" },
      { id: "true", text: "Yes" },
      { id: "false", text: "No" },
    ],
  },
  fits: "text",
  rare: true,
  into: "spellcheck",
  schema: () => v.boolean(),
  bind: (given) => given ?? null,
  attributes: (given) => ({ spellcheck: given === null ? null : String(given) }),
};
