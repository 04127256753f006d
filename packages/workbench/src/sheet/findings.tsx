import type { Finding } from "@loyal-quill/core";
import { styled } from "styled-components";
import { Mark } from "../parts/mark.js";

const List = styled.ul`
  margin: ${({ theme }) => `${theme.space(2)} 0`};
  display: grid;
  gap: ${({ theme }) => theme.space(3)};
  pre { margin-top: ${({ theme }) => theme.space(1)}; overflow-x: auto; color: ${({ theme }) => theme.soft}; }
`;

/** What was found in a page file, each with the line that it speaks of. */
export function Findings({ findings, text }: { findings: readonly Finding[]; text: string }) {
  const lines = text.split("\n");
  return (
    <List aria-label="Findings in the page file">
      {findings.map((finding) => (
        <li key={`${finding.line} ${finding.column} ${finding.code}`}>
          <Mark kind={finding.severity === "error" ? "stop" : "wait"}>{finding.severity}</Mark> line {finding.line},
          column {finding.column}: {finding.message}
          <pre>
            {String(finding.line).padStart(4)} {lines[finding.line - 1] ?? ""}
            {"\n"}
            {" ".repeat(5 + finding.column)}↑
          </pre>
        </li>
      ))}
    </List>
  );
}
