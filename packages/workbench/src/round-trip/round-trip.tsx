import { openSteps, type RecordedRequest, type RecordedStep, type StepName, saveSteps } from "@loyal-quill/core";
import { styled } from "styled-components";
import { Mark } from "../parts/mark.js";
import { Moment } from "../parts/moment.js";
import { outcomeMark, outcomeWord, stepTitle, stoppedAt } from "./wording.js";

/** Where the line runs, in pixels from the top of a half: out, and back. */
const out = 22;
const back = 92;

const Half = styled.section`
  position: relative;
  height: 7.25rem;
  margin: 0 2rem 0 4.75rem;
  & + & { border-top: 1px dotted ${({ theme }) => theme.rule}; }
  > svg { position: absolute; inset: 0; width: 100%; height: 100%; overflow: visible; pointer-events: none; }
  .ahead { stroke: ${({ theme }) => theme.rule}; fill: none; }
  .way { stroke: ${({ theme }) => theme.ink}; fill: none; stroke-width: 1.75; }
  .stop { stroke: ${({ theme }) => theme.minium}; stroke-width: 2; }
`;

const Name = styled.h2`
  position: absolute;
  left: -4.75rem;
  top: 0.6rem;
  width: 4rem;
  font-size: 0.9375rem;
  line-height: 1.2;
`;

const Said = styled.p`
  position: absolute;
  left: -4.75rem;
  width: 4.25rem;
  top: 1.9rem;
  font-size: 0.8125rem;
  line-height: 1.25;
  color: ${({ theme }) => theme.soft};
  time { font-size: 0.6875rem; }
`;

const Ticks = styled.ol<{ $count: number }>`
  position: absolute;
  inset: 0 0 auto;
  display: grid;
  grid-template-columns: repeat(${({ $count }) => $count}, minmax(0, 1fr));
`;

const Tick = styled.button<{ $state: "passed" | "stopped" | "ahead" }>`
  display: flex;
  flex-direction: column;
  width: 100%;
  height: ${back - 10}px;
  padding: 0 0.25rem 0 0.5rem;
  margin: 0;
  border: 0;
  background: none;
  text-align: start;
  overflow: hidden;
  position: relative;
  cursor: pointer;
  color: ${({ theme, $state }) => ($state === "ahead" ? theme.soft : theme.ink)};
  &::before {
    content: "";
    position: absolute;
    left: 0;
    top: ${out - 6}px;
    height: 12px;
    border-left: 1.75px solid ${({ theme, $state }) => ($state === "ahead" ? theme.rule : theme.ink)};
  }
  > b { height: ${out - 2}px; line-height: ${out - 2}px; font-weight: 400; }
  &[aria-pressed="true"] > b { color: ${({ theme }) => theme.verdigris}; font-weight: 700; }
  &[aria-pressed="true"]::before { border-color: ${({ theme }) => theme.verdigris}; border-left-width: 4px; }
  &:focus-visible { outline-offset: -2px; }
`;

const Values = styled.span`
  display: block;
  margin-top: 7px;
  width: 100%;
  font: 0.75rem/1.3 ${({ theme }) => theme.wire};
  > span { display: block; white-space: nowrap; overflow: hidden; text-overflow: ellipsis; }
  i { font-style: normal; color: ${({ theme }) => theme.soft}; }
`;

const Back = styled(Tick)`
  position: absolute;
  left: 0;
  right: 1rem;
  top: ${back - 13}px;
  height: 26px;
  width: auto;
  flex-direction: row;
  gap: 1rem;
  align-items: center;
  padding-left: 1.5rem;
  &::before { left: 1rem; top: 7px; }
  > b { background: ${({ theme }) => theme.paper}; padding: 0 0.25rem; height: auto; }
  > span { width: auto; margin: 0; background: ${({ theme }) => theme.paper}; padding: 0 0.25rem; min-width: 0; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
  > span > span { display: inline; margin-right: 1rem; }
`;

const Reason = styled.p`
  position: absolute;
  top: ${back - 22}px;
  right: 0;
  padding: 0 0.25rem 0 0.5rem;
  background: linear-gradient(to right, transparent 0.5rem, ${({ theme }) => theme.paper} 0.5rem);
  width: fit-content;
  max-width: 26rem;
  display: -webkit-box;
  -webkit-box-orient: vertical;
  -webkit-line-clamp: 3;
  overflow: hidden;
  font-size: 0.875rem;
  line-height: 1.2;
  color: ${({ theme }) => theme.minium};
`;

/** What is worth a line beside a tick: first what was touched or noted, then the rest. */
function shownValues(step: RecordedStep): RecordedStep["values"] {
  if (step.step !== "read" && step.step !== "compare") return step.values;
  const dull = new Set(["untouched"]);
  return [...step.values].sort((a, b) => Number(dull.has(a.note ?? "")) - Number(dull.has(b.note ?? "")));
}

function StepValues({ step, most }: { step: RecordedStep | undefined; most: number }) {
  if (!step) return null;
  const values = shownValues(step);
  return (
    <Values as="span">
      {values.slice(0, values.length > most ? most - 1 : most).map(({ name, value, note }) => (
        <span key={name}>
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

interface HalfProps {
  readonly title: string;
  readonly steps: readonly StepName[];
  readonly request: RecordedRequest | undefined;
  readonly empty: string;
  readonly chosen: StepName | undefined;
  readonly onChoose: (step: StepName) => void;
}

function stateOf(request: RecordedRequest | undefined, name: StepName): "passed" | "stopped" | "ahead" {
  const step = request?.steps.find((each) => each.step === name);
  if (!step) return "ahead";
  return step.stopped === null ? "passed" : "stopped";
}

/** The line: faint where nobody went, ink where the request went, with a cross where it stopped. */
function Line({
  outward,
  reached,
  stopped,
  walked,
}: {
  outward: number;
  reached: number;
  stopped: boolean;
  walked: boolean;
}) {
  const percent = `${(reached * 100) / outward}%`;
  const turn = `M-24 ${out}h4q20 0 20 20v${back - out - 40}q0 20 -20 20h-4`;
  return (
    <svg aria-hidden="true" focusable="false">
      <line className="ahead" x1="0" x2="100%" y1={out} y2={out} />
      <line className="ahead" x1="0" x2="100%" y1={back} y2={back} />
      {walked && !stopped && (
        <>
          <line className="way" x1="-14" x2="100%" y1={out} y2={out} />
          <line className="way" x1="-14" x2="100%" y1={back} y2={back} />
          <path className="way" d={`M-6 ${back - 5}l-8 5l8 5`} />
        </>
      )}
      {stopped && (
        <>
          <line className="way" x1="-14" x2={percent} y1={out} y2={out} />
          <svg x={percent} overflow="visible" role="presentation">
            <path className="stop" d={`M-5 ${out - 5}l10 10m0 -10l-10 10`} />
          </svg>
        </>
      )}
      <svg x="100%" overflow="visible" role="presentation">
        <path className={walked && !stopped ? "way" : "ahead"} d={turn} transform="translate(24 0)" />
      </svg>
    </svg>
  );
}

function TripHalf({ title, steps, request, empty, chosen, onChoose }: HalfProps) {
  const outwardSteps = steps.slice(0, -1);
  const last = steps.at(-1) as StepName;
  const stop = request && stoppedAt(request);
  const reached = stop ? Math.min(steps.indexOf(stop.step), outwardSteps.length - 1) : outwardSteps.length;
  const stepOf = (name: StepName): RecordedStep | undefined => request?.steps.find((each) => each.step === name);
  return (
    <Half aria-label={title}>
      <Line
        outward={outwardSteps.length}
        reached={reached}
        stopped={stop !== undefined}
        walked={request !== undefined}
      />
      <Name>{title}</Name>
      <Said>
        {request ? (
          <>
            <Mark kind={outcomeMark(request.outcome)}>{outcomeWord(request.outcome)}</Mark>
            <br />
            {request.ms < 10 ? request.ms.toFixed(1) : Math.round(request.ms)} ms
            <br />
            <Moment at={request.at} />
          </>
        ) : (
          empty
        )}
      </Said>
      <Ticks $count={outwardSteps.length}>
        {outwardSteps.map((name) => {
          const state = stateOf(request, name);
          return (
            <li key={name}>
              <Tick type="button" $state={state} aria-pressed={chosen === name} onClick={() => onChoose(name)}>
                <b>{stepTitle[name]}</b>
                <StepValues step={stepOf(name)} most={3} />
              </Tick>
            </li>
          );
        })}
      </Ticks>
      {stop ? (
        <Reason style={{ left: `min(${(reached * 100) / outwardSteps.length}%, 100% - 17rem)` }}>{stop.stopped}</Reason>
      ) : (
        <Back
          type="button"
          $state={stateOf(request, last)}
          aria-pressed={chosen === last}
          onClick={() => onChoose(last)}
        >
          <b>{stepTitle[last]}</b>
          <StepValues step={stepOf(last)} most={5} />
        </Back>
      )}
    </Half>
  );
}

const Drawing = styled.div`
  position: relative;
  padding: ${({ theme }) => `${theme.space(1)} 0`};
`;

const Edge = styled.p<{ $side: "browser" | "database" }>`
  position: absolute;
  top: 0;
  bottom: 0;
  ${({ $side }) => ($side === "browser" ? "left: 4rem" : "right: 0.5rem")};
  width: 0;
  border-left: 1px solid ${({ theme }) => theme.edge};
  > span {
    position: absolute;
    ${({ $side }) => ($side === "browser" ? "left: 0.4rem" : "right: 0.4rem")};
    bottom: 0;
    font-size: 0.8125rem;
    line-height: 1.1;
    color: ${({ theme }) => theme.soft};
  }
`;

/** Which half and step of the round trip is chosen. */
export interface ChosenStep {
  readonly half: "open" | "save";
  readonly step: StepName;
}

interface RoundTripProps {
  readonly open: RecordedRequest | undefined;
  readonly save: RecordedRequest | undefined;
  readonly chosen: ChosenStep | undefined;
  readonly onChoose: (chosen: ChosenStep) => void;
}

/**
 * The round trip, drawn as one line: it leaves the browser's edge at the left, touches the database's edge at the right and
 * comes back; opening above, saving below. Each step is a tick with its real values beside it.
 */
export function RoundTrip({ open, save, chosen, onChoose }: RoundTripProps) {
  const of = (half: ChosenStep["half"]) => ({
    chosen: chosen?.half === half ? chosen.step : undefined,
    onChoose: (step: StepName) => onChoose({ half, step }),
  });
  return (
    <Drawing>
      <Edge $side="browser" aria-hidden="true">
        <span>browser</span>
      </Edge>
      <Edge $side="database" aria-hidden="true">
        <span>database</span>
      </Edge>
      <TripHalf title="Open" steps={openSteps} request={open} empty="Not opened yet" {...of("open")} />
      <TripHalf title="Save" steps={saveSteps} request={save} empty="Nothing saved yet" {...of("save")} />
    </Drawing>
  );
}
