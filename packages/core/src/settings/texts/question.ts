import { ownText } from "./own-text.js";

export const question = ownText("question", {
  label: "Question before deleting",
  about: "Heading of the page that asks before a record is deleted.",
  without: "`Delete TITLE?`",
  step: "access",
  placeholder: "Delete {name} and its sensors?",
});
