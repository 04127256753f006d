import { ownListText } from "./own-text.js";

export const empty = ownListText("empty", {
  label: "Empty list",
  about: "What the list says while there is no record.",
  without: "a default line",
  step: "load",
  placeholder: "No stations yet.",
});
