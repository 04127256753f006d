import type { Finding } from "@loyal-quill/core";

/** A page file with what the review found in it. */
export interface CheckedFile {
  /** As it was told on the command line. */
  readonly file: string;
  readonly findings: readonly Finding[];
}
