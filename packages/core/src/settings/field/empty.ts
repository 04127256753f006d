import * as v from "valibot";
import type { FieldSetting } from "../setting.js";

const stored = ["nothing", "text"] as const;

/** What an emptied control stores: no value (null), or an empty text where the column takes one. */
export const empty: FieldSetting<(typeof stored)[number], (typeof stored)[number], "empty"> = {
  label: "Left empty",
  about: "What is stored of a text that is left empty: `nothing` (NULL) or `text` ('').",
  without: "'' where the column may not be null and has '' for its default, otherwise NULL",
  editor: {
    kind: "choice",
    options: [
      { id: "", text: "Default (from the column)" },
      { id: "nothing", text: "Stores NULL" },
      { id: "text", text: "Stores an empty string" },
    ],
  },
  fits: "text",
  rare: true,
  into: "empty",
  schema: () => v.picklist(stored),
  bind: (_given, field) => field.empty,
};
