import type { Finding } from "@loyal-quill/core";
import { json } from "./json.js";
import { sarif } from "./sarif.js";
import { text } from "./text.js";

/** A page file with what the review found in it. */
export interface CheckedFile {
  /** As it was told on the command line. */
  readonly file: string;
  readonly findings: readonly Finding[];
}

export const formats = ["text", "json", "sarif"] as const;
export type Format = (typeof formats)[number];

/** What `quill check` writes, by format. */
export const reports: Readonly<Record<Format, (checked: readonly CheckedFile[]) => string>> = { text, json, sarif };
