import * as v from "valibot";
import { controlsVersion } from "../controls/index.js";
import { rulesVersion } from "../rules/index.js";
import { pageSettings, type SettingsInFile } from "../settings/index.js";
import { schemaOf } from "../settings/schema-of.js";

const format = "loyal-quill/page@1";

export type PageFile = SettingsInFile & { readonly format: typeof format };

let made: { readonly mark: string; readonly schema: v.GenericSchema<PageFile> } | null = null;

/**
 * The page file, `loyal-quill/page@1`. What the table already says is left out of it; the file says what differs. It is made anew once rules or controls
 * were added.
 */
export function pageSchema(): v.GenericSchema<PageFile> {
  const mark = `${controlsVersion()} ${rulesVersion()}`;
  if (made?.mark !== mark) made = { mark, schema: schemaOf<PageFile>(pageSettings, { format: v.literal(format) }) };
  return made.schema;
}
