import { type Adopted, type FormFindingCode, formFindingKinds } from "@loyal-quill/authoring";
import { sarifLog } from "./sarif.js";

function text({ page, controls, findings }: Adopted, source: string, file: string | null): string {
  const width = Math.max(0, ...controls.map(({ name }) => name.length));
  return [
    ...controls.map(({ name, column, certainty, reasons }) =>
      column === null
        ? `${name.padEnd(width)}  not matched`
        : `${name.padEnd(width)}  ${column} (${certainty}: ${reasons.join(", ")})`,
    ),
    ...(controls.length > 0 ? [""] : []),
    ...findings.flatMap(({ severity, code, message, line, column }) => [
      `${source}:${line}:${column}: ${severity}: ${message} [${code}]`,
      `    ${formFindingKinds[code].remedy}`,
    ]),
    ...(findings.length > 0 ? [""] : []),
    ...(file === null ? (page ? [page.text.trimEnd()] : []) : [`${file} is written.`]),
    "",
  ].join("\n");
}

const json = (adopted: Adopted, source: string, file: string | null): string =>
  `${JSON.stringify({ source, ...(file === null ? {} : { file }), ...adopted }, null, 2)}\n`;

const sarif = ({ findings }: Adopted, source: string): string =>
  sarifLog(
    findings.map((finding) => ({ file: source, ...finding })),
    [source],
    (id: FormFindingCode) => formFindingKinds[id],
  );

/** What `quill adopt` writes, by format. */
export const adoptReports = { text, json, sarif } as const;
