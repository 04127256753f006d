import { describedSettings, languages, pageJsonSchema, ruleKindsInFile } from "@loyal-quill/core";
import type { PageFileAnswer } from "./answers/sheet.js";

/** What a page file can say, for the editors of the workbench. */
export const pageFileAnswer = (): PageFileAnswer => ({
  schema: pageJsonSchema(),
  rules: ruleKindsInFile().map(({ name, label, inFile: { first, parts, fits } }) => ({
    name,
    label,
    first,
    parts,
    fits,
  })),
  settings: describedSettings(),
  languages: Object.entries(languages).map(([id, { name }]) => ({ id, name })),
});
