import * as v from "valibot";
import type { Setting } from "../setting.js";

export const keyEditable: Setting<boolean, boolean, "keyEditable"> = {
  label: "Editable key",
  about: "Whether key columns among the fields can be changed.",
  without: "no",
  step: "key",
  editor: { kind: "check", text: "People can edit the key", value: true },
  into: "keyEditable",
  schema: () => v.boolean(),
  bind: (given) => given === true,
};
