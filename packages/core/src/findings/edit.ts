import type { Path } from "./path-in-file.js";

/**
 * One change of a page file. In a path a field goes by its name: `["fields", "warning_m", "label"]`; a check by its place:
 * `["checks", 0, "expect"]`.
 */
export type Edit =
  /** Sets a value, with whatever has to be there for it; undefined takes it away, with what is empty then. */
  | { readonly do: "set"; readonly path: Path; readonly value: unknown }
  /** Puts fields of these names before another one, or at the end. */
  | { readonly do: "add-fields"; readonly names: readonly string[]; readonly before: string | null }
  | { readonly do: "remove-fields"; readonly names: readonly string[] }
  /** Moves fields, in the order that they have, before another one, or to the end. */
  | { readonly do: "move-fields"; readonly names: readonly string[]; readonly before: string | null };
