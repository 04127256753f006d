import * as v from "valibot";
import type { Choices } from "../../controls/choice-source.js";
import type { FieldSetting } from "../setting.js";
import { condition } from "../shapes.js";

/** How a choice among records is made: from a list of all, or by searching. */
const ways = ["list", "search"] as const;

export const choices: FieldSetting<
  { where?: string | undefined; by?: (typeof ways)[number] | undefined },
  Choices | null,
  "choices"
> = {
  label: "Choices",
  about: "For a reference: which records can be chosen, and whether from a list or by searching.",
  details: "`{ where: …, by: list }` or `by: search`, see [the page file](page-file.md#choices).",
  without: "all records that the foreign key allows",
  editor: { kind: "own" },
  fits: "reference",
  into: "choices",
  schema: () => v.strictObject({ where: v.optional(condition), by: v.optional(v.picklist(ways)) }),
  bind: (_given, field) => (field.control === "choice" || field.control === "radio" ? field.choices : null),
};
