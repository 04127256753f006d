import { ownText } from "./own-text.js";

export const deleted = ownText("deleted", {
  label: "Message after deleting",
  about: "The line that says that a record was deleted.",
  without: "`TITLE is deleted.`",
  step: "answer",
  placeholder: "{name} was deleted.",
});
