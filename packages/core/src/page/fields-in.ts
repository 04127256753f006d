import type { FieldSettings } from "../settings/field/index.js";
import type { ParsedPage, Path } from "./parse.js";

/** The fields of a page file as name and settings, with their places. */
export const fieldsIn = (file: ParsedPage["file"]): { name: string; settings: FieldSettings; path: Path }[] =>
  file.fields.flatMap((entry, index) =>
    typeof entry === "string"
      ? [{ name: entry, settings: {}, path: ["fields", index] as Path }]
      : Object.entries(entry).map(([name, settings]) => ({
          name,
          settings: settings ?? {},
          path: ["fields", index, name] as Path,
        })),
  );
