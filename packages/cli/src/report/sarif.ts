import { type FindingCode, findingKinds } from "@loyal-quill/core";
import type { CheckedFile } from "./checked-file.js";

/** A path as a relative reference (RFC 3986, 4.2): forward slashes, percent-encoded, no leading `./`. */
const uriOf = (file: string): string =>
  file.replaceAll("\\", "/").replace(/^\.\//, "").split("/").map(encodeURIComponent).join("/");

/** A rule as SARIF describes one (3.49 reportingDescriptor), from the catalogue of findings. */
const ruleOf = (id: FindingCode) => ({
  id,
  shortDescription: { text: findingKinds[id].means },
  help: { text: findingKinds[id].remedy },
});

/**
 * The findings in the Static Analysis Results Interchange Format, version 2.1.0 (OASIS standard, 3.13 sarifLog, 3.14 run, 3.27
 * result): one run, one rule for each kind of finding, lines and columns from 1, columns in UTF-16 code units (3.14.17).
 */
export function sarif(checked: readonly CheckedFile[]): string {
  const results = checked.flatMap(({ file, findings }) => findings.map((finding) => ({ file, ...finding })));
  const codes = [...new Set(results.map(({ code }) => code))].sort();
  const log = {
    $schema: "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json",
    version: "2.1.0",
    runs: [
      {
        tool: { driver: { name: "Loyal Quill", rules: codes.map(ruleOf) } },
        columnKind: "utf16CodeUnits",
        artifacts: checked.map(({ file }) => ({ location: { uri: uriOf(file) } })),
        results: results.map(({ file, code, severity, message, line, column }) => ({
          ruleId: code,
          ruleIndex: codes.indexOf(code),
          level: severity,
          message: { text: message },
          locations: [
            {
              physicalLocation: {
                artifactLocation: { uri: uriOf(file), index: checked.findIndex((each) => each.file === file) },
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
