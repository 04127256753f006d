import {
  openSteps,
  type RecordedRequest,
  type RecordedStep,
  type Severity,
  type StepName,
  saveSteps,
} from "@loyal-quill/core";
import { type ReactNode, useState } from "react";
import { styled } from "styled-components";
import { Mark } from "../parts/mark.js";
import type { ChosenStep } from "./round-trip.js";
import { outcomeMark, outcomeWord, stepTitle, stoppedAt } from "./wording.js";

export interface FoundAtStep {
  readonly severity: Severity;
  readonly number: number;
}

/** The line at which a step is set: where both have it, the upper one. */
export const halfOf = (step: StepName): ChosenStep["half"] =>
  (openSteps as readonly StepName[]).includes(step) ? "open" : "save";

type State = "passed" | "stopped" | "not reached";

const Lines = styled.div`
  position: relative;
  border-block: 1px solid ${({ theme }) => theme.rule};
`;

const Half = styled.section`
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: ${({ theme }) => `0 ${theme.space(4)}`};
  min-height: 1.875rem;
  & + & { border-top: 1px dotted ${({ theme }) => theme.rule}; }
  > h2 { width: 2.75rem; font-size: 0.9375rem; line-height: 1.2; }
  > ol { display: flex; flex-wrap: wrap; }
  > p { flex: 1 1 22rem; font-size: 0.9375rem; line-height: 1.3; overflow-wrap: anywhere; }
`;

/** A tick on the line: ink where the request went, faint where it did not get. */
const Tick = styled.button<{ $state: State; $turns: boolean }>`
  position: relative;
  height: 1.75rem;
  min-width: 4.25rem;
  padding: ${({ theme, $turns }) => `0 ${theme.space(2)} ${theme.space(1)} ${$turns ? theme.space(7) : theme.space(2)}`};
  border: 0;
  background: none;
  text-align: start;
  cursor: pointer;
  color: ${({ theme, $state }) => ({ passed: theme.ink, stopped: theme.minium, "not reached": theme.soft })[$state]};
  &::before { content: ""; position: absolute; left: 0; bottom: 2px; height: 8px; border-left: 1.75px solid; }
  &::after { content: ""; position: absolute; left: 0; right: 0; bottom: 5px; border-top: 1.75px solid; opacity: ${({ $state }) => ($state === "not reached" ? 0.35 : 1)}; }
  &[aria-pressed="true"] { color: ${({ theme }) => theme.verdigris}; font-weight: 700; }
  &[aria-pressed="true"]::before { border-left-width: 4px; }
  &:focus-visible { outline-offset: -2px; }
  > span[aria-hidden] { position: absolute; left: 0.375rem; bottom: 0; }
`;

/** What a step did, over what is below it, while one points at it. */
const Values = styled.dl`
  position: absolute;
  z-index: 4;
  top: 100%;
  left: 2.75rem;
  display: grid;
  grid-template-columns: auto minmax(0, 1fr) auto;
  gap: 0 ${({ theme }) => theme.space(4)};
  max-width: min(48rem, 100%);
  padding: ${({ theme }) => `${theme.space(1)} ${theme.space(3)}`};
  border: 1px solid ${({ theme }) => theme.edge};
  background: ${({ theme }) => theme.leaf};
  font: 0.8125rem/1.5 ${({ theme }) => theme.wire};
  pointer-events: none;
  div { display: grid; grid-template-columns: subgrid; grid-column: 1 / -1; }
  dt, dd + dd { color: ${({ theme }) => theme.soft}; }
  dd { white-space: nowrap; overflow: hidden; text-overflow: ellipsis; }
`;

function StepValues({ name, step }: { name: StepName; step: RecordedStep }) {
  const values = step.values.filter(({ note }) => note !== "untouched");
  const shown = values.slice(0, 8);
  return (
    <Values aria-hidden="true">
      {shown.map(({ row, name: of, value, note }, index) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: several records have values of one name
        <div key={index}>
          <dt>{row === undefined ? of : `${row}: ${of}`}</dt>
          <dd>{value ?? "null"}</dd>
          <dd>{note}</dd>
        </div>
      ))}
      {shown.length === 0 && (
        <div>
          <dt>{stepTitle[name]}</dt>
          <dd>{step.ms.toFixed(2)} ms</dd>
        </div>
      )}
      {values.length > shown.length && (
        <div>
          <dt>and {values.length - shown.length} more</dt>
        </div>
      )}
    </Values>
  );
}

interface HalfProps {
  readonly title: string;
  readonly steps: readonly StepName[];
  readonly request: RecordedRequest | undefined;
  readonly chosen: StepName | undefined;
  readonly onChoose: (step: StepName) => void;
  readonly found: TripLinesProps["found"];
  /** What is said after the outcome. */
  readonly children?: ReactNode;
}

function stateOf(request: RecordedRequest | undefined, name: StepName): State {
  const step = request?.steps.find((each) => each.step === name);
  if (!step) return "not reached";
  return step.stopped === null ? "passed" : "stopped";
}

const numbered = ({ severity, number }: FoundAtStep): string => `${number} ${severity}${number === 1 ? "" : "s"}`;

/** One way through the steps, its outcome and the reason of a stop in full at its end. The last step is on the way back from the database. */
function TripHalf({ title, steps, request, chosen, onChoose, found, children }: HalfProps) {
  const [pointed, point] = useState<StepName>();
  const stop = request && stoppedAt(request);
  const step = request?.steps.find((each) => each.step === pointed);
  return (
    <Half aria-label={title}>
      <h2>{title}</h2>
      <ol onMouseLeave={() => point(undefined)}>
        {steps.map((name, index) => {
          const state = stateOf(request, name);
          const turns = index === steps.length - 1;
          const here = found.get(name);
          return (
            <li key={name}>
              <Tick
                type="button"
                $state={state}
                $turns={turns}
                data-step={`${title} ${name}`}
                aria-pressed={chosen === name}
                aria-label={[stepTitle[name], state, ...(here ? [numbered(here)] : [])].join(", ")}
                onClick={() => onChoose(name)}
                onMouseEnter={() => point(name)}
                onFocus={() => point(name)}
                onBlur={() => point(undefined)}
              >
                {turns && <span aria-hidden="true">↩</span>}
                {state === "stopped" && "✕ "}
                {stepTitle[name]}
                {here && (
                  <>
                    {" "}
                    <Mark kind={here.severity === "error" ? "stop" : "wait"}>{here.number}</Mark>
                  </>
                )}
              </Tick>
            </li>
          );
        })}
      </ol>
      <p role="status">
        {request ? (
          <>
            <Mark kind={outcomeMark(request.outcome)}>{outcomeWord(request.outcome)}</Mark>
            {stop && (
              <>
                {" "}
                at {stepTitle[stop.step]}: {stop.stopped}
              </>
            )}
            {!stop && <>, {request.ms < 10 ? request.ms.toFixed(1) : Math.round(request.ms)} ms</>}
          </>
        ) : (
          "not yet"
        )}
        {children}
      </p>
      {step && pointed && <StepValues name={pointed} step={step} />}
    </Half>
  );
}

interface TripLinesProps {
  readonly open: RecordedRequest | undefined;
  readonly save: RecordedRequest | undefined;
  readonly chosen: ChosenStep | undefined;
  readonly onChoose: (chosen: ChosenStep) => void;
  /** What is said of the save after its outcome. */
  readonly saved?: ReactNode;
  /** How many things were found in the page file about each step, and how grave the gravest is. */
  readonly found: ReadonlyMap<StepName, FoundAtStep>;
}

/** The round trip in two thin lines: opening above, saving below. Each step is a tick that tells its values where one points and opens its settings where one presses. */
export function TripLines({ open, save, chosen, onChoose, saved, found }: TripLinesProps) {
  const of = (half: ChosenStep["half"]) => ({
    chosen: chosen?.half === half ? chosen.step : undefined,
    onChoose: (step: StepName) => onChoose({ half, step }),
    found: new Map([...found].filter(([step]) => halfOf(step) === half)),
  });
  return (
    <Lines>
      <TripHalf title="Open" steps={openSteps} request={open} {...of("open")} />
      <TripHalf title="Save" steps={saveSteps} request={save} {...of("save")}>
        {saved}
      </TripHalf>
    </Lines>
  );
}
