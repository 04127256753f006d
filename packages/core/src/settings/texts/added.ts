import { ownText } from "./own-text.js";

export const added = ownText("added", {
  label: "Message after adding",
  about: "The line that says that a record was added; `{column}` stands for a value.",
  without: "`TITLE was added.`",
  step: "answer",
  placeholder: "{name} was added.",
});
