import type { RecordedRequest, RecordedStep, StepName } from "@loyal-quill/core";
import type { SheetAnswer } from "@loyal-quill/server/api";
import { useRef } from "react";
import { styled } from "styled-components";
import { useFocusRequest } from "../parts/focus-request.js";
import { Small } from "../parts/inputs.js";
import { Mark } from "../parts/mark.js";
import { stepTitle } from "../round-trip/wording.js";
import { FindingsHere } from "./editing/findings.js";
import { stepHead } from "./editing/settings.js";
import { StepSettings } from "./editors/step-settings.js";

const Detail = styled.section`
  display: grid;
  gap: ${({ theme }) => theme.space(3)};
  > h2 span { font-weight: 400; color: ${({ theme }) => theme.soft}; margin-left: ${({ theme }) => theme.space(3)}; }
  h3 { font-size: 1rem; margin-bottom: ${({ theme }) => theme.space(1)}; }
  pre { white-space: pre-wrap; overflow-wrap: anywhere; }
`;

const Values = styled.dl`
  display: grid;
  grid-template-columns: auto minmax(0, 1fr) auto;
  gap: 0 ${({ theme }) => theme.space(4)};
  font: 0.8125rem/1.5 ${({ theme }) => theme.wire};
  align-content: start;
  div { display: grid; grid-template-columns: subgrid; grid-column: 1 / -1; }
  dt { color: ${({ theme }) => theme.soft}; }
  dd { white-space: pre-wrap; overflow-wrap: anywhere; }
  dd + dd { color: ${({ theme }) => theme.soft}; }
`;

function Statement({ statement }: { statement: RecordedStep["statements"][number] }) {
  return (
    <section>
      <h3>
        Statement: {statement.purpose}, {statement.rows === 1 ? "one row" : `${statement.rows} rows`}
        {statement.ms !== undefined && <>, {statement.ms.toFixed(2)} ms</>}
        {statement.standby && <>, answered by standby {statement.standby}</>}
      </h3>
      <pre>{statement.text}</pre>
      <Values>
        {statement.values.map((value, index) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: a parameter's place is its name
          <div key={index}>
            <dt>${index + 1}</dt>
            <dd>{value ?? "null"}</dd>
          </div>
        ))}
      </Values>
    </section>
  );
}

export function Recorded({ step }: { step: RecordedStep }) {
  return (
    <div>
      <Values>
        {step.stopped && (
          <div>
            <dt>stopped</dt>
            <dd>{step.stopped}</dd>
          </div>
        )}
        {step.values.map(({ row, name, value, note }, index) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: several records have values of one name
          <div key={index}>
            <dt>{row === undefined ? name : `${row}: ${name}`}</dt>
            <dd>{value ?? "null"}</dd>
            <dd>{note}</dd>
          </div>
        ))}
      </Values>
      {step.noticed?.map((sentence) => (
        <p key={sentence}>
          <Mark kind="wait">{sentence}</Mark>
        </p>
      ))}
      {step.statements.map((statement) => (
        <Statement key={`${statement.purpose} ${statement.text}`} statement={statement} />
      ))}
    </div>
  );
}

interface StepDetailProps {
  readonly request: RecordedRequest | undefined;
  readonly step: StepName;
  readonly sheet: SheetAnswer;
  readonly onClose: () => void;
}

/** One step: what it did in this request, its settings, and the statements that it sent. */
export function StepDetail({ request, step: name, sheet, onClose }: StepDetailProps) {
  const step = request?.steps.find((each) => each.step === name);
  const sent = step?.statements.length ?? 0;
  const head = useRef<HTMLHeadingElement>(null);
  useFocusRequest(stepHead(name), () => head.current?.focus());
  return (
    <Detail aria-label={`${stepTitle[name]}: settings and values`}>
      <h2 ref={head} tabIndex={-1}>
        {stepTitle[name]}
        <span>
          {step
            ? `${step.ms.toFixed(2)} ms, ${sent === 0 ? "no statement" : sent === 1 ? "one statement" : `${sent} statements`}`
            : "Not reached in this request"}
        </span>{" "}
        <Small type="button" onClick={onClose}>
          Close
        </Small>
      </h2>
      <FindingsHere of={{ step: name }} />
      <StepSettings step={name} sheet={sheet} />
      {step && (
        <div>
          <h3>In this request</h3>
          <Recorded step={step} />
        </div>
      )}
    </Detail>
  );
}
