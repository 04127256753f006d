import * as v from "valibot";
import { isSet } from "../set.js";
import type { FieldSetting } from "../setting.js";

export const readOnly: FieldSetting<boolean, boolean, "readOnly"> = {
  label: "Read-only",
  about: "Whether the field is shown only.",
  without: "no; key columns and what the connection may not update are shown only",
  editor: { kind: "check", text: "Shown, never taken from a form", value: true },
  into: "readOnly",
  schema: () => v.boolean(),
  bind(_given, { page, column, isFixed }) {
    const isFixedKey = page.isKey(column) && page.given("record", "key-editable") !== true;
    // A routine has rights of its own.
    const isGranted = page.given("save", "routine") !== undefined || column.granted.update;
    return isFixed || isFixedKey || !isGranted || isSet(page, column.name, "save");
  },
};
