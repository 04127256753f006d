import * as v from "valibot";
import type { Repair } from "../../findings/finding.js";
import type { Column, Key } from "../../table/model.js";
import { parsePath } from "../bound/path.js";
import type { PageContext } from "../context.js";
import type { NeededSetting } from "../setting.js";
import { line, names } from "../shapes.js";

/** The first safe key in the place of one that is not, in the address too. */
function safeKey({ table, given }: PageContext): Repair | undefined {
  const [safe] = table.keys;
  if (!safe) return undefined;
  const fixed = String(given("path")).replace(/\/\{.*$/, "");
  return {
    what: `take the key ${safe.columns.join(", ")}`,
    edits: [
      { do: "set", path: ["record", "key"], value: safe.columns.length === 1 ? safe.columns[0] : safe.columns },
      { do: "set", path: ["path"], value: `${fixed}/${safe.columns.map((name) => `{${name}}`).join("/")}` },
    ],
  };
}

export const key: NeededSetting<string | string[], readonly Column[], "key"> = {
  label: "Key",
  about: "A column, or a list of them, by which a record is found; must be unique and not null.",
  without: null,
  step: "key",
  editor: { kind: "own" },
  columns: [""],
  needed: true,
  into: "key",
  schema: () => v.union([line, names]),
  bind(given, binder, path) {
    const { keys } = binder.table;
    const columns = [given].flat().map((name, index) => binder.column(name, [...path, index]));
    const named = columns.filter((column) => column !== null);
    const same = (each: Key): boolean =>
      each.columns.length === named.length && named.every((column) => each.columns.includes(column.name));
    if (named.length === columns.length && !keys.some(same)) {
      const safe = keys.map((each) => each.columns.join(", "));
      const advice =
        safe.length > 0
          ? `Safe keys of this table: ${safe.join("; ")}.`
          : "This table has no safe key: give it a primary key.";
      binder.error(
        "key-not-unique",
        `${named.map((column) => column.name).join(", ")} is not a unique and not-null set of columns, so it may name more than one row. ${advice}`,
        path,
        { repair: safeKey(binder) },
      );
    }
    // In the order that addresses have them in.
    const inAddress = parsePath(String(binder.given("path")))?.columns;
    return inAddress?.flatMap((name) => named.find((column) => column.name === name) ?? []) ?? named;
  },
};
