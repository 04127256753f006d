import * as v from "valibot";
import { plainText } from "./described.js";
import type { AnySetting, Group, Settings } from "./setting.js";

const isGroup = (entry: AnySetting | Group<Readonly<Record<string, AnySetting>>>) => "settings" in entry;

/**
 * The schema of settings that stand side by side: what is not needed may be left out, and nothing else may stand there.
 *
 * @param more what else does
 */
export function schemaOf<File>(settings: Settings, more: v.ObjectEntries = {}): v.GenericSchema<File> {
  const entries = Object.entries(settings).map(([name, entry]): [string, v.GenericSchema] => {
    const schema = isGroup(entry)
      ? schemaOf(entry.settings)
      : v.pipe(entry.schema(), v.description(plainText(entry.about)));
    return [name, entry.needed ? schema : v.optional(schema)];
  });
  return v.strictObject({ ...more, ...Object.fromEntries(entries) }) as unknown as v.GenericSchema<File>;
}
