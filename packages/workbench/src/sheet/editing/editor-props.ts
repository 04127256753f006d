import type { DescribedSetting } from "@loyal-quill/core";
import type { SheetAnswer, SheetField } from "@loyal-quill/server/api";

/** A setting, and of what it is one. */
export interface SettingProps {
  readonly setting: DescribedSetting;
  readonly sheet: SheetAnswer;
  /** The field whose setting it is; null for one of the page. */
  readonly field: SheetField | null;
}

/** What an editor of a setting is given: its value in the file, and how to change it. */
export interface EditorProps extends SettingProps {
  readonly value: unknown;
  /** Undefined takes the setting out of the file. */
  readonly onChange: (value: unknown) => void;
}
