import { ownText } from "./own-text.js";

export const remove = ownText("remove", {
  label: "Delete button",
  about: "The link to the question before a record is deleted, and the button below it.",
  without: "`Delete`",
  step: "access",
  placeholder: "Delete station",
});
