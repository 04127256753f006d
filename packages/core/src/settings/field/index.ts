import type { Attributes } from "../../controls/control.js";
import { schemaOf } from "../schema-of.js";
import type { BoundOf, FieldSetting, FileOf } from "../setting.js";
import { autocomplete } from "./autocomplete.js";
import { choices } from "./choices.js";
import { control } from "./control.js";
import { defaultValue } from "./default.js";
import { empty } from "./empty.js";
import { group } from "./group.js";
import { help } from "./help.js";
import { hint } from "./hint.js";
import { label } from "./label.js";
import { message } from "./message.js";
import { readOnly } from "./read-only.js";
import { rules } from "./rules.js";
import { sensitive } from "./sensitive.js";
import { show } from "./show.js";
import { spellcheck } from "./spellcheck.js";
import { tidy } from "./tidy.js";
import { unit } from "./unit.js";
import { when } from "./when.js";

/** The only list of a field's settings, in the order in which they are edited. */
export const fieldSettings = {
  rules,
  label,
  help,
  unit,
  group,
  control,
  show,
  choices,
  "read-only": readOnly,
  when,
  tidy,
  hint,
  default: defaultValue,
  empty,
  message,
  autocomplete,
  spellcheck,
  sensitive,
};

export type FieldSettings = FileOf<typeof fieldSettings>;

const withAttributes = Object.values<FieldSetting<unknown, unknown, string>>(fieldSettings as never).filter(
  ({ attributes }) => attributes,
);

/** What a field's settings say of its control's attributes. */
export const settingAttributes = (field: BoundOf<typeof fieldSettings>): Attributes =>
  Object.assign({}, ...withAttributes.map(({ into, attributes }) => attributes?.(field[into as keyof typeof field])));

export const fieldSettingsSchema = () => schemaOf<FieldSettings>(fieldSettings);
