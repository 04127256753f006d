import type { CheckedFile } from "./checked-file.js";

const counted = (count: number, one: string, many: string): string => `${count} ${count === 1 ? one : many}`;

/** One line a finding, `FILE:LINE:COLUMN SEVERITY CODE MESSAGE`, and a last one that counts them. */
export function text(checked: readonly CheckedFile[]): string {
  const lines = checked.flatMap(({ file, findings }) =>
    findings.map(
      ({ line, column, severity, code, message }) => `${file}:${line}:${column}  ${severity}  ${code}  ${message}`,
    ),
  );
  const all = checked.flatMap(({ findings }) => findings);
  const errors = all.filter((finding) => finding.severity === "error").length;
  const summary = `${counted(errors, "error", "errors")} and ${counted(all.length - errors, "warning", "warnings")} in ${counted(checked.length, "page file", "page files")}.`;
  return `${[...lines, summary].join("\n")}\n`;
}
