import { type FindingCode, findingKinds } from "@loyal-quill/core";
import type { CheckedFile } from "./checked-file.js";

/** A path as a relative reference (RFC 3986, 4.2): forward slashes, percent-encoded, no leading `./`. An address is one already. */
const uriOf = (file: string): string =>
  /^https?:/.test(file)
    ? file
    : file.replaceAll("\\", "/").replace(/^\.\//, "").split("/").map(encodeURIComponent).join("/");

/** Something that is said of a file, at its place. */
interface Result<Code extends string> {
  readonly file: string;
  readonly code: Code;
  readonly severity: "error" | "warning";
  readonly message: string;
  readonly line: number;
  readonly column: number;
}

/**
 * Findings in the Static Analysis Results Interchange Format, version 2.1.0 (OASIS standard, 3.13 sarifLog, 3.14 run, 3.27 result): one run, one rule
 * for each kind of finding (3.49 reportingDescriptor), lines and columns from 1, columns in UTF-16 code units (3.14.17).
 *
 * @param files all that were looked at, with findings or without
 * @param kindOf what a kind of finding means, and what is to be done
 */
export function sarifLog<Code extends string>(
  results: readonly Result<Code>[],
  files: readonly string[],
  kindOf: (code: Code) => { readonly means: string; readonly remedy: string },
): string {
  const codes = [...new Set(results.map(({ code }) => code))].sort();
  const rules = codes.map((id) => ({
    id,
    shortDescription: { text: kindOf(id).means },
    help: { text: kindOf(id).remedy },
  }));
  const log = {
    $schema: "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json",
    version: "2.1.0",
    runs: [
      {
        tool: { driver: { name: "Loyal Quill", rules } },
        columnKind: "utf16CodeUnits",
        artifacts: files.map((file) => ({ location: { uri: uriOf(file) } })),
        results: results.map(({ file, code, severity, message, line, column }) => ({
          ruleId: code,
          ruleIndex: codes.indexOf(code),
          level: severity,
          message: { text: message },
          locations: [
            {
              physicalLocation: {
                artifactLocation: { uri: uriOf(file), index: files.indexOf(file) },
                region: { startLine: line, startColumn: column },
              },
            },
          ],
        })),
      },
    ],
  };
  return `${JSON.stringify(log, null, 2)}\n`;
}

/** The findings of page files. */
export const sarif = (checked: readonly CheckedFile[]): string =>
  sarifLog(
    checked.flatMap(({ file, findings }) => findings.map((finding) => ({ file, ...finding }))),
    checked.map(({ file }) => file),
    (id: FindingCode) => findingKinds[id],
  );
