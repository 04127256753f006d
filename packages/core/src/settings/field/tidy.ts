import * as v from "valibot";
import type { FieldSetting } from "../setting.js";

/** What may be done to a typed value before it is judged. */
const tidyings = ["trim", "single-spaces", "upper", "lower"] as const;

const tidying = v.union([v.picklist(tidyings), v.strictObject({ slug: v.pipe(v.string(), v.minLength(1)) })]);

export type Tidying = v.InferOutput<typeof tidying>;

export const tidy: FieldSetting<Tidying[], readonly Tidying[], "tidy"> = {
  label: "Clean up input",
  about: "What is done to a typed text before it is judged.",
  details:
    "In order: `trim`, `single-spaces`, `upper`, `lower`, `{ slug: FIELD }` (made of another field where it is left empty, as soon as anything is saved).",
  without: "nothing is done",
  editor: { kind: "own" },
  fits: "text",
  columns: ["slug"],
  into: "tidy",
  schema: () => v.array(tidying),
  bind(given = [], { page }, path) {
    for (const [index, each] of given.entries())
      if (typeof each === "object") page.column(each.slug, [...path, index, "slug"]);
    return given;
  },
};
