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
  > li { display: block; }
  pre { overflow-x: auto; color: ${({ theme }) => theme.soft}; }
`;

interface FindingsProps {
  readonly findings: readonly Finding[];
  readonly text: string;
  /** Takes the text that a repair makes. */
  readonly onRepair: (text: string, what: string) => void;
}

/** Repairs what one finding tells of; nothing happens where the text was changed meanwhile, whose own findings are on their way. */
function repair(finding: Finding, { text, onRepair }: Pick<FindingsProps, "text" | "onRepair">): void {
  try {
    onRepair(repaired(text, finding), finding.repair?.what ?? "repair");
    focusAfter('[aria-label="Review"]', "[data-findings] button");
  } catch (error) {
    if (!(error instanceof CanNotEdit)) throw error;
  }
}

/** Alt+R repairs the first finding that can be. */
export function useRepairKey({ findings, text, onRepair }: FindingsProps): void {
  const first = findings.find((finding) => finding.repair);
  const latest = useRef<() => void>(() => {});
  latest.current = () => first && repair(first, { text, onRepair });
  useEffect(() => {
    const onKeyDown = (event: KeyboardEvent): void => {
      if (!event.altKey || event.key.toLowerCase() !== "r") return;
      event.preventDefault();
      latest.current();
    };
    window.addEventListener("keydown", onKeyDown);
    return () => window.removeEventListener("keydown", onKeyDown);
  }, []);
}

/** The review: what was found in a page file, each with the line that it speaks of, and a repair where there is one. */
export function Findings({ findings, text, onRepair }: FindingsProps) {
  const lines = text.split("\n");
  const first = findings.find((finding) => finding.repair);
  if (findings.length === 0) return null;
  return (
    <>
      <List aria-label="Review" tabIndex={0}>
        {findings.map((finding) => (
          <li key={`${finding.line} ${finding.column} ${finding.code} ${finding.message}`}>
            <Mark kind={finding.severity === "error" ? "stop" : "wait"}>{finding.severity}</Mark> line {finding.line},
            column {finding.column}: {finding.message}{" "}
            {finding.repair && (
              <Small type="button" onClick={() => repair(finding, { text, onRepair })}>
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
