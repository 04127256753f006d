import { ownListText } from "./own-text.js";

export const introduction = ownListText("introduction", {
  label: "Introduction of the list",
  about: "A line or two above the list.",
  without: "none",
  step: "load",
  placeholder: "The stations of your region.",
});
