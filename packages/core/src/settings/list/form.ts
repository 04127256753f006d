import * as v from "valibot";
import type { Setting } from "../setting.js";

/** Whether the list and the form of a record stand on one page. */
export const form: Setting<"beside", boolean, "beside"> = {
  label: "Form",
  words: "form beside the list",
  about: "`beside`: list and form stand on one page; choosing a row opens its form there.",
  without: "pages of their own",
  step: "load",
  editor: { kind: "check", text: "Beside the list, on one page", value: "beside" },
  into: "beside",
  schema: () => v.picklist(["beside"]),
  bind(given, binder, path) {
    if (given === "beside" && binder.given("list", "edit"))
      binder.error(
        "list-edit",
        "Rows are edited in their places or in a form beside the list: leave one of edit and form out.",
        path,
      );
    return given === "beside";
  },
};
