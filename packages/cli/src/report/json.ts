import type { CheckedFile } from "./checked-file.js";

/** All files with their findings, and how many there are. */
export function json(checked: readonly CheckedFile[]): string {
  const all = checked.flatMap(({ findings }) => findings);
  const errors = all.filter((finding) => finding.severity === "error").length;
  return `${JSON.stringify({ files: checked, errors, warnings: all.length - errors }, null, 2)}\n`;
}
