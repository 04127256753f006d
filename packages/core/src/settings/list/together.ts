import * as v from "valibot";
import type { Setting } from "../setting.js";

/** Whether all rows are saved at once. */
export const together: Setting<boolean, boolean, "together"> = {
  label: "Save rows",
  about: "`true`: one Save for all the rows on the page, all of them or none.",
  without: "each by itself",
  step: "load",
  editor: { kind: "check", text: "All rows together, or none", value: true },
  with: "edit",
  into: "together",
  schema: () => v.boolean(),
  bind(given, binder, path) {
    if (given && !binder.given("list", "edit"))
      binder.error("list-edit", "Rows are saved together where they can be edited: name columns in list.edit.", path);
    return given === true;
  },
};
