import * as v from "valibot";
import type { FieldSetting } from "../setting.js";

/** Whether the control stays empty whatever is stored: what is typed replaces it, what is left empty leaves it. */
export const sensitive: FieldSetting<boolean | "shown", boolean, "hidden"> = {
  label: "Sensitive",
  about: "Whether its values are told to nobody: not in lists, records, histories or the log.",
  details:
    '`true`: the control stays empty and what is typed replaces what is stored; lists, records, files and histories say "(not shown)", JSON `{"stored": true}`; recorded requests and the change log keep that it changed, and no value. It is not searched, filtered or sorted by. `shown`: the same, but the form shows it. `false`: an ordinary column.',
  without:
    "`true` for columns that look like secrets by their names (`password`, `token`, `api_key`, `pin` …), also where they are not on the page",
  editor: {
    kind: "choice",
    options: [
      { id: "", text: "Default (by the column's name)" },
      { id: "true", text: "Yes, not even shown in the form" },
      { id: "shown", text: "Yes, but shown in the form" },
      { id: "false", text: "No" },
    ],
  },
  rare: true,
  into: "hidden",
  schema: () => v.union([v.boolean(), v.literal("shown")]),
  bind: (given, { column, settings }) =>
    column.sensitive === true && given !== "shown" && settings.default === undefined,
};
