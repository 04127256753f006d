import { detailOf, isAct } from "@loyal-quill/core";
import type { ChangeAnswer } from "@loyal-quill/server/api";

const watched = (table: string | number, hidden: string) =>
  hidden === ""
    ? `${table} is watched from now on: whatever happens to it is logged`
    : `${table} is watched from now on: whatever happens to it is logged, without the values of ${hidden}`;
const erased = (table: string | number, fields: string, reasons: boolean) => {
  const what = [fields, reasons ? "reasons" : ""].filter((each) => each !== "").join(" and ");
  return `Values of a record of ${table} were erased: ${what}`;
};

const listed = (value: unknown): string => (Array.isArray(value) ? value.join(", ") : "");

/** What was done to the log itself, in words; null for an entry of a record. */
export function actText({ table, key, fields }: Pick<ChangeAnswer, "table" | "key" | "fields">): string | null {
  if (!isAct(table)) return null;
  const detail = detailOf(fields[0]?.new ?? "") ?? {};
  const [name = ""] = Object.values(key);
  switch (table.slice(table.indexOf(".") + 1)) {
    case "watched":
      return watched(name, listed(detail.hidden));
    case "unwatched":
      return `${name} is no longer watched`;
    case "dropped":
      return `${name} was dropped, with ${String(detail.entries ?? "")} entries`;
    case "erased":
      return erased(String(detail.table ?? ""), listed(detail.fields), detail.reasons === true);
    case "imported":
      return `A file was imported, with ${String(detail.entries ?? "")} entries`;
    case "installed":
      return `The log was installed or upgraded: version ${String(detail.version ?? "")}`;
    default:
      return "Something was done to the log";
  }
}
