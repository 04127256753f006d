import * as v from "valibot";
import { recordOf } from "../values/record-of.js";
import type { BoundField } from "./context.js";
import { type FieldSettings, fieldSettingsSchema } from "./field/index.js";
import type { NeededSetting } from "./setting.js";

/** A field of a page file: a column's name alone, or one name with its settings. */
type FieldEntry = string | Record<string, FieldSettings | null>;

export const fields: NeededSetting<FieldEntry[], readonly BoundField[], "fields"> = {
  label: "Fields",
  words: "order of the fields",
  about: "A column's name, or `NAME: { settings }`, for each field of the form.",
  without: null,
  editor: null,
  columns: [""],
  needed: true,
  into: "fields",
  schema: () =>
    v.pipe(v.array(v.union([v.string(), recordOf(v.string(), v.nullable(fieldSettingsSchema()))])), v.minLength(1)),
  // The other settings are about them, so that they are bound before (page/bind.ts).
  bind: (_given, binder) => binder.fields,
};
