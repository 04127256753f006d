import { ownText } from "./own-text.js";

export const create = ownText("create", {
  label: "Heading of a new record",
  about: "Heading and title of the form of a new record, and the link that leads there.",
  without: "`New in PLURAL`, and `New record` on the link",
  step: "route",
  placeholder: "New station",
});
