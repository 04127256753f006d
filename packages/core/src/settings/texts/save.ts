import { ownText } from "./own-text.js";

export const save = ownText("save", {
  label: "Save button",
  about: "The button that saves a change. `{column}` stands for a value.",
  without: "`Update`",
  step: "write",
  placeholder: "Update station",
});
