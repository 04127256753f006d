import { parsePath } from "../settings/bound/path.js";
import { readYaml } from "./yaml.js";

/** What can be read of a page file even where it has errors; null where a name is missing or holds no text. */
export interface Glance {
  /** The table as it is written there. */
  readonly table: string | null;
  /** The fixed segments of its address. */
  readonly listSegments: readonly string[] | null;
}

const textIn = (value: unknown): string | null => (typeof value === "string" && value !== "" ? value : null);

/** Reads table and address from a page file's text, as far as its YAML can be read at all. */
export function glanceAt(text: string): Glance {
  const document = readYaml(text);
  const path = textIn(document.getIn(["path"]));
  const fixed = path === null ? null : path.replace(/\/?\{.*$/s, "").replace(/\/+$/, "");
  return {
    table: textIn(document.getIn(["record", "table"])),
    listSegments: path === null ? null : (parsePath(path)?.listSegments ?? segmentsOf(fixed)),
  };
}

const segmentsOf = (fixed: string | null): readonly string[] | null => {
  const segments = (fixed ?? "").split("/").filter((segment) => segment !== "");
  return segments.length > 0 ? segments : null;
};
