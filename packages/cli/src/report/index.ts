import type { CheckedFile } from "./checked-file.js";
import type { Format } from "./formats.js";
import { json } from "./json.js";
import { sarif } from "./sarif.js";
import { text } from "./text.js";

export type { CheckedFile } from "./checked-file.js";
export type { Format } from "./formats.js";

/** What `quill check` writes, by format. */
export const reports: Readonly<Record<Format, (checked: readonly CheckedFile[]) => string>> = { text, json, sarif };
