import * as v from "valibot";
import type { Setting } from "../setting.js";

const places = ["list", "page", "view", "next"] as const;

export const saved: Setting<(typeof places)[number], (typeof places)[number], "saved"> = {
  label: "After saving, go to",
  about:
    "Where a save leads: `list`, `page` (the form again), `view` (the record as it now is) or `next` (the form of the next record of the list).",
  without: "`list`",
  step: "answer",
  editor: {
    kind: "choice",
    options: [
      { id: "", text: "The list" },
      { id: "page", text: "The form again" },
      { id: "view", text: "The record" },
      { id: "next", text: "The next record of the list" },
    ],
  },
  into: "saved",
  schema: () => v.picklist(places),
  bind: (given) => given ?? "list",
};
