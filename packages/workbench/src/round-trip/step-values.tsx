import type { RecordedStep } from "@loyal-quill/core";
import { styled } from "styled-components";

export const msText = (ms: string | number) => `${ms} ms`;

const Values = styled.span`
  display: block;
  margin-top: 7px;
  width: 100%;
  font: 0.75rem/1.3 ${({ theme }) => theme.wire};
  > span { display: block; white-space: nowrap; overflow: hidden; text-overflow: ellipsis; }
  i { font-style: normal; color: ${({ theme }) => theme.soft}; }
`;

/** What is worth a line beside a tick: first what was touched or noted, then the rest. */
function shownValues(step: RecordedStep): RecordedStep["values"] {
  const own = (step.own ?? []).map(({ name, ms, said }) => ({
    name: `${name}()`,
    value: said ?? "no message",
    note: msText(Math.round(ms)),
  }));
  if (step.step !== "read" && step.step !== "compare") return [...own, ...step.values];
  const dull = new Set(["untouched"]);
  return [...step.values].sort((a, b) => Number(dull.has(a.note ?? "")) - Number(dull.has(b.note ?? "")));
}

export function StepValues({ step, most }: { step: RecordedStep | undefined; most: number }) {
  if (!step) return null;
  const values = shownValues(step);
  return (
    <Values as="span">
      {step.noticed && <b>{step.noticed.join(" ")}</b>}
      {values.slice(0, values.length > most ? most - 1 : most).map(({ name, value, note }, index) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: several records have values of one name
        <span key={index}>
          <i>{name}</i> {value ?? "null"}
          {note && <i> {note}</i>}
        </span>
      ))}
      {values.length > most && (
        <span>
          <i>and {values.length - most + 1} more</i>
        </span>
      )}
    </Values>
  );
}
