import type { CheckedFile } from "./checked-file.js";
import { json } from "./json.js";
import { sarif } from "./sarif.js";
import { text } from "./text.js";

export type { CheckedFile } from "./checked-file.js";

export const formats = ["text", "json", "sarif"] as const;
export type Format = (typeof formats)[number];

/** What `quill check` writes, by format. */
export const reports: Readonly<Record<Format, (checked: readonly CheckedFile[]) => string>> = { text, json, sarif };
