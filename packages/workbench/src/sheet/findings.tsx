import { CanNotEdit, repaired } from "@loyal-quill/authoring";
import type { Finding } from "@loyal-quill/core";
import { useEffect, useRef } from "react";
import { styled } from "styled-components";
import { focusAfter } from "../parts/focus.js";
import { Small } from "../parts/inputs.js";
import { Mark } from "../parts/mark.js";
import { Migration } from "./migration.js";

const List = styled.ul`
  padding: ${({ theme }) => `${theme.space(2)} 0`};
  display: grid;
  gap: ${({ theme }) => theme.space(2)};
  border-bottom: 1px solid ${({ theme }) => theme.rule};
  max-height: 16rem;
  overflow: auto;
  pre { overflow-x: auto; color: ${({ theme }) => theme.soft}; }
`;

interface FindingsProps {
  readonly findings: readonly Finding[];
  readonly text: string;
  /** Takes the text that a repair makes. */
  readonly onRepair: (text: string, what: string) => void;
}

/** The review: what was found in a page file, each with the line that it speaks of, and a repair where there is one. */
export function Findings({ findings, text, onRepair }: FindingsProps) {
  const lines = text.split("\n");
  const repair = (finding: Finding): void => {
    try {
      onRepair(repaired(text, finding), finding.repair?.what ?? "repair");
      focusAfter('[aria-label="Review"]');
    } catch (error) {
      // The text was changed meanwhile: its own findings are on their way.
      if (!(error instanceof CanNotEdit)) throw error;
    }
  };
  const first = findings.find((finding) => finding.repair);
  const latest = useRef<() => void>(() => {});
  latest.current = () => first && repair(first);
  useEffect(() => {
    const onKeyDown = (event: KeyboardEvent): void => {
      if (!event.altKey || event.key.toLowerCase() !== "r") return;
      event.preventDefault();
      latest.current();
    };
    window.addEventListener("keydown", onKeyDown);
    return () => window.removeEventListener("keydown", onKeyDown);
  }, []);
  if (findings.length === 0) return null;
  return (
    <>
      <List aria-label="Review" tabIndex={0}>
        {findings.map((finding) => (
          <li key={`${finding.line} ${finding.column} ${finding.code} ${finding.message}`}>
            <Mark kind={finding.severity === "error" ? "stop" : "wait"}>{finding.severity}</Mark> line {finding.line},
            column {finding.column}: {finding.message}{" "}
            {finding.repair && (
              <Small type="button" onClick={() => repair(finding)}>
                {finding.repair.what}
                {finding === first && <> (Alt+R)</>}
              </Small>
            )}
            <pre>
              {String(finding.line).padStart(4)} {lines[finding.line - 1] ?? ""}
              {"\n"}
              {" ".repeat(4 + finding.column)}↑
            </pre>
          </li>
        ))}
      </List>
      <Migration title="indexes" changes={findings.flatMap(({ change }) => (change ? [change] : []))} />
    </>
  );
}
