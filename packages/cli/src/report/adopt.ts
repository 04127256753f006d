import { type Adopted, type FormFindingCode, formFindingKinds } from "@loyal-quill/authoring/adopt";
import { sarifLog } from "./sarif.js";

/** Where what was looked at stands. */
type Sources = Readonly<Record<"form" | "handler", string>>;

function text({ table, page, controls, findings, notRead }: Adopted, sources: Sources, file: string | null): string {
  const width = Math.max(0, ...controls.map(({ name }) => name.length));
  return [
    ...controls.map(({ name, column, certainty, reasons }) =>
      column === null
        ? `${name.padEnd(width)}  not matched`
        : `${name.padEnd(width)}  ${column} (${certainty}: ${reasons.join(", ")})`,
    ),
    ...(controls.length > 0 ? [""] : []),
    ...findings.flatMap(({ in: where, severity, code, message, remedy, line, column }) => [
      `${sources[where]}:${line}:${column}: ${severity}: ${message} [${code}]`,
      `    ${remedy}`,
    ]),
    ...notRead.map(({ line, column, because }) => `${sources.handler}:${line}:${column}: not read: ${because}`),
    ...(findings.length + notRead.length > 0 ? [""] : []),
    ...(file === null ? (page ? [page.text.trimEnd()] : []) : [`${file} is written, over ${table}.`]),
    "",
  ].join("\n");
}

const json = (adopted: Adopted, sources: Sources, file: string | null): string =>
  `${JSON.stringify({ sources, ...(file === null ? {} : { file }), ...adopted }, null, 2)}\n`;

const sarif = ({ findings }: Adopted, sources: Sources): string =>
  sarifLog(
    findings.map((finding) => ({ file: sources[finding.in], ...finding })),
    Object.values(sources).filter(Boolean),
    (id: FormFindingCode) => formFindingKinds[id],
  );

/** What `quill adopt` writes, by format. */
export const adoptReports = { text, json, sarif } as const;
