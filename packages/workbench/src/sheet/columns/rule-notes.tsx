import type { Finding, RecordedRequest } from "@loyal-quill/core";
import type { SheetAnswer, SheetField } from "@loyal-quill/server/api";
import { styled } from "styled-components";
import { Small } from "../../parts/inputs.js";
import { Mark, type MarkKind } from "../../parts/mark.js";
import { FindingLine } from "../editing/findings.js";

const Notes = styled.div`
  padding: ${({ theme }) => `${theme.space(1)} 0`};
  line-height: 1.35;
  code { overflow-wrap: anywhere; }
  > ul > li { display: flex; gap: ${({ theme }) => theme.space(2)}; justify-content: space-between; @media (min-width: 1000px) and (max-width: 1199px) { flex-wrap: wrap; row-gap: 0; } }
  > ul > li > span:last-child { color: ${({ theme }) => theme.soft}; font-size: 0.875rem; }
`;

const Soft = styled.p`
  color: ${({ theme }) => theme.soft};
`;

const Then = styled.span`
  color: ${({ theme }) => theme.soft};
`;

interface RuleNotesProps {
  readonly field: SheetField;
  readonly checks: SheetAnswer["checks"];
  readonly save: RecordedRequest | undefined;
  /** Whether the save was tried with the draft, and is none that somebody has made of the page. */
  readonly isTried: boolean;
  /** What was found about the field in the page file. */
  readonly found: readonly Finding[];
  readonly onSet: () => void;
}

/** What became of a touched field: refused by a rule, in conflict, written, or not written because of others. */
function fate(name: string, save: RecordedRequest): { mark: MarkKind; word: string; why: string | null } {
  const valueIn = (step: "check" | "compare") =>
    save.steps.find((each) => each.step === step)?.values.find((value) => value.name === name);
  const problem = valueIn("check")?.value;
  if (problem) return { mark: "stop", word: "refused", why: problem };
  if (valueIn("compare")?.note === "conflict")
    return { mark: "wait", word: "in conflict", why: "changed by someone else" };
  return save.outcome === "saved"
    ? { mark: "good", word: "written", why: null }
    : { mark: "quiet", word: "not written", why: null };
}

/** What the last save brought for a field: what was typed where it was touched, and what became of it. */
function LastSave({ name, save, isTried }: Pick<RuleNotesProps, "save" | "isTried"> & { name: string }) {
  const typed = save?.steps.find((step) => step.step === "read")?.values.find((value) => value.name === name);
  if (!save || typed?.note !== "touched") return null;
  const { mark, word, why } = fate(name, save);
  return (
    <p>
      <Mark kind={mark}>{word}</Mark> <code>{typed.value === "" ? "(empty)" : typed.value}</code>
      {why && <span> {why}</span>}
      {!isTried && <Then> (recorded)</Then>}
    </p>
  );
}

const SetButton = ({ name, onSet }: { name: string; onSet: () => void }) => (
  <Small type="button" tabIndex={-1} onClick={onSet} aria-label={`Edit ${name}`}>
    Edit
  </Small>
);

/** A field's rules, where each comes from, the checks that speak at it, and what they said to the last save. */
export function RuleNotes({ field, checks, save, isTried, found, onSet }: RuleNotesProps) {
  const findings = found.map((finding) => (
    <FindingLine key={`${finding.line} ${finding.column} ${finding.code}`} finding={finding} />
  ));
  if (field.readOnly) {
    return (
      <Notes>
        {findings}
        <Soft>
          shown, never taken from the form <SetButton name={field.name} onSet={onSet} />
        </Soft>
      </Notes>
    );
  }
  const sources = [...new Set(field.rules.map(({ from }) => from.join(" and ")))];
  const lines = [
    ...sources.map((from) => ({
      text: field.rules
        .flatMap((rule) =>
          rule.from.join(" and ") === from ? (rule.when ? `${rule.text}, when ${rule.when}` : rule.text) : [],
        )
        .join(", "),
      from,
      isCode: false,
    })),
    ...checks.map(({ source, from }) => ({ text: source, from, isCode: true })),
  ];
  return (
    <Notes>
      {findings}
      {field.tidy.length > 0 && <Soft>tidied: {field.tidy.join(", ")}</Soft>}
      <ul>
        {lines.map(({ text, from, isCode }, index) => (
          <li key={text}>
            <span>
              {isCode ? <code>{text}</code> : text}{" "}
              {index === lines.length - 1 && <SetButton name={field.name} onSet={onSet} />}
            </span>
            <span>{from}</span>
          </li>
        ))}
      </ul>
      {lines.length === 0 && (
        <Soft>
          any value of the type <SetButton name={field.name} onSet={onSet} />
        </Soft>
      )}
      <LastSave name={field.name} save={save} isTried={isTried} />
    </Notes>
  );
}
