import { CanNotEdit, repaired, type Subject } from "@loyal-quill/authoring";
import type { Finding } from "@loyal-quill/core";
import { type ReactNode, useEffect, useRef } from "react";
import { styled } from "styled-components";
import { focusAfter } from "../../parts/focus.js";
import { Small } from "../../parts/inputs.js";
import { Mark, type MarkKind } from "../../parts/mark.js";
import { stepTitle } from "../../round-trip/wording.js";
import { Migration } from "../draft/migration.js";
import { type Found, useEditing } from "./settings.js";

const List = styled.ul`
  padding: ${({ theme }) => `${theme.space(2)} 0`};
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: ${({ theme }) => theme.space(2)};
  > li { display: block; }
  pre { white-space: pre-wrap; overflow-wrap: anywhere; color: ${({ theme }) => theme.soft}; }
`;

interface FindingsProps {
  readonly found: readonly Found[];
  readonly text: string;
  /** Takes the text that a repair makes. */
  readonly onRepair: (text: string, what: string) => void;
  /** Goes to what a finding is about. */
  readonly onGo?: (found: Found) => void;
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
export function useRepairKey({ found, text, onRepair }: FindingsProps): void {
  const first = found.find(({ finding }) => finding.repair)?.finding;
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

const markOf = ({ severity }: Finding): MarkKind => (severity === "error" ? "stop" : "wait");

/** What is found, in a line: at the field, or the step, that it is about. */
export const FindingLine = ({ finding, children }: { finding: Finding; children?: ReactNode }) => (
  <p>
    <Mark kind={markOf(finding)}>{finding.severity}</Mark> {finding.message} {children}
  </p>
);

/** What a repair does, as the label of its button. */
export const repairLabel = ({ what }: { readonly what: string }): string =>
  `${what.charAt(0).toUpperCase()}${what.slice(1)}`;

/** What was found about a field or a step, where that is edited, each with its repair. */
export function FindingsHere({ of }: { of: Subject }) {
  const { found, text, write } = useEditing();
  const here = found.filter(({ about }) => JSON.stringify(about) === JSON.stringify(of));
  if (here.length === 0) return null;
  return (
    <ul aria-label="Findings">
      {here.map(({ finding }) => (
        <li key={`${finding.line} ${finding.column} ${finding.code} ${finding.message}`}>
          <FindingLine finding={finding}>
            {finding.repair && (
              <Small type="button" onClick={() => repair(finding, { text, onRepair: write })}>
                {repairLabel(finding.repair)}
              </Small>
            )}
          </FindingLine>
        </li>
      ))}
    </ul>
  );
}

/** Where a finding leads. */
function placeOf(about: Subject | null): string {
  if (about === null) return "Show in the file";
  return "field" in about ? `Edit ${about.field}` : `Edit step ${stepTitle[about.step]}`;
}

/** The review: what was found in a page file, each with the line that it speaks of, and a repair where there is one. */
export function Findings({ found, text, onRepair, onGo }: FindingsProps) {
  const lines = text.split("\n");
  const first = found.find(({ finding }) => finding.repair)?.finding;
  if (found.length === 0) return null;
  return (
    <>
      <List aria-label="Review" tabIndex={0}>
        {found.map(({ finding, about }) => (
          <li key={`${finding.line} ${finding.column} ${finding.code} ${finding.message}`}>
            <Mark kind={markOf(finding)}>{finding.severity}</Mark> line {finding.line}, column {finding.column}:{" "}
            {finding.message}{" "}
            {finding.repair && (
              <Small type="button" onClick={() => repair(finding, { text, onRepair })}>
                {repairLabel(finding.repair)}
                {finding === first && <> (Alt+R)</>}
              </Small>
            )}{" "}
            {onGo && (
              <Small type="button" onClick={() => onGo({ finding, about })}>
                {placeOf(about)}
              </Small>
            )}
            {/* biome-ignore lint/a11y/noNoninteractiveTabindex: a line wider than its place is scrolled, by keyboard too */}
            <pre tabIndex={0}>
              {String(finding.line).padStart(4)} {lines[finding.line - 1] ?? ""}
              {"\n"}
              {" ".repeat(4 + finding.column)}↑
            </pre>
          </li>
        ))}
      </List>
      <Migration title="indexes" changes={found.flatMap(({ finding: { change } }) => (change ? [change] : []))} />
    </>
  );
}
