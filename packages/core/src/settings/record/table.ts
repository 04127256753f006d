import type { Table } from "../../table/model.js";
import type { NeededSetting } from "../setting.js";
import { line } from "../shapes.js";

export const table: NeededSetting<string, Table, "table"> = {
  label: "Table",
  about: "`schema.table`; also a view that PostgreSQL can update.",
  without: null,
  editor: null,
  needed: true,
  into: "table",
  schema: () => line,
  // Found before anything else can be bound (page/bind.ts).
  bind: (_given, binder) => binder.table,
};
