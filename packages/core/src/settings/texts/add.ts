import { ownText } from "./own-text.js";

export const add = ownText("add", {
  label: "Add button",
  about: "The button that saves a new record.",
  without: "`Add`",
  step: "write",
  placeholder: "Add station",
});
