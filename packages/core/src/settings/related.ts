import * as v from "valibot";
import type { Setting } from "./setting.js";
import { line } from "./shapes.js";

/** A page whose records refer to those of this one. */
export interface RelatedPage {
  /** The name of its file. */
  readonly name: string;
  /** The column that refers, where there are several. */
  readonly by: string | null;
}

export const related: Setting<
  (string | { page: string; by?: string | undefined })[],
  readonly RelatedPage[],
  "related"
> = {
  label: "Related lists",
  about:
    "Names of pages whose records refer to this one's, shown with a record; `{ page: visit, by: visitor_id }` where several columns do.",
  without: "none",
  step: "load",
  editor: { kind: "own" },
  into: "related",
  schema: () => v.pipe(v.array(v.union([line, v.strictObject({ page: line, by: v.optional(line) })])), v.minLength(1)),
  bind: (given = []) =>
    given.map((each) =>
      typeof each === "string" ? { name: each, by: null } : { name: each.page, by: each.by ?? null },
    ),
};
