import * as v from "valibot";
import { type Control, controlNames } from "../../controls/index.js";
import type { FieldSetting } from "../setting.js";

export const control: FieldSetting<Control, Control, "control"> = {
  label: "Control",
  about: "How the value is shown and typed.",
  details:
    "`text`, `multi-line`, `number`, `date`, `date-time`, `range` (from when to when, or from which whole number to which: two controls; the last day or number is in it), `check-box`, `choice`, `radio` (all choices in view), `entries` (a list of texts, one on each line), `file` (for `bytea` and texts: sent as a file, up to 16 MB, shown by its size with the way to it; the log keeps its SHA-256 and size); or one of your own ([mounting](mounting.md#rules-and-controls-of-your-own)).",
  without: "the column's type decides",
  editor: { kind: "choice", options: "controls" },
  into: "control",
  schema: () => v.picklist([...controlNames()]),
  bind: (_given, field) => field.control,
};
