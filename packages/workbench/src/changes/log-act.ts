import { detailOf, isAct } from "@loyal-quill/core";
import type { ChangeAnswer } from "@loyal-quill/server/api";
import { texts } from "../texts.js";

const says = texts.logAct;

const listed = (value: unknown): string => (Array.isArray(value) ? value.join(", ") : "");

/** What was done to the log itself, in words; null for an entry of a record. */
export function actText({ table, key, fields }: Pick<ChangeAnswer, "table" | "key" | "fields">): string | null {
  if (!isAct(table)) return null;
  const detail = detailOf(fields[0]?.new ?? "") ?? {};
  const [name = ""] = Object.values(key);
  switch (table.slice(table.indexOf(".") + 1)) {
    case "watched":
      return says.watched(name, listed(detail.hidden));
    case "unwatched":
      return says.unwatched(name);
    case "dropped":
      return says.dropped(name, String(detail.entries ?? ""));
    case "erased":
      return says.erased(String(detail.table ?? ""), listed(detail.fields), detail.reasons === true);
    case "imported":
      return says.imported(String(detail.entries ?? ""));
    case "installed":
      return says.installed(String(detail.version ?? ""));
    default:
      return says.other;
  }
}
