import { openSteps, type RecordedRequest, type RecordedStep, type StepName, saveSteps } from "@loyal-quill/core";
import { useState } from "react";
import { styled } from "styled-components";
import { Small } from "../parts/inputs.js";
import { Mark } from "../parts/mark.js";
import { Moment } from "../parts/moment.js";
import { msText, StepValues } from "./step-values.js";
import { outcomeMark, outcomeWord, stepTitle, stoppedAt } from "./wording.js";

/**
 * Where the line of a half runs, in pixels from its top: out, and back. Slim, it shows the values of one step; tall, some of
 * each. Where nobody went there is nothing to come back with.
 */
interface Shape {
  readonly out: number;
  readonly back: number;
  readonly height: number;
  readonly isTall: boolean;
}
const shapes = {
  tall: { out: 22, back: 92, height: 110, isTall: true },
  slim: { out: 20, back: 37, height: 49, isTall: false },
  empty: { out: 20, back: 20, height: 40, isTall: false },
} as const satisfies Record<string, Shape>;

const Half = styled.section`
  position: relative;
  margin: 0 2rem 0 4.75rem;
  & + & { border-top: 1px dotted ${({ theme }) => theme.rule}; }
  > svg { position: absolute; inset: 0; width: 100%; overflow: visible; pointer-events: none; }
  .ahead { stroke: ${({ theme }) => theme.rule}; fill: none; }
  .way { stroke: ${({ theme }) => theme.ink}; fill: none; stroke-width: 1.75; }
  .stop { stroke: ${({ theme }) => theme.minium}; stroke-width: 2; }
`;

const Name = styled.h2`
  position: absolute;
  left: -4.75rem;
  top: 0.4rem;
  width: 4rem;
  font-size: 0.9375rem;
  line-height: 1.2;
`;

const Said = styled.p`
  position: absolute;
  left: -4.75rem;
  width: 4.25rem;
  top: 1.6rem;
  font-size: 0.75rem;
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

const Tick = styled.button<{ $state: "passed" | "stopped" | "ahead"; $shape: Shape }>`
  display: flex;
  flex-direction: column;
  width: 100%;
  height: ${({ $shape: { isTall, out, back } }) => (isTall ? back - 10 : out + 5)}px;
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
    top: ${({ $shape }) => $shape.out - 6}px;
    height: 12px;
    border-left: 1.75px solid ${({ theme, $state }) => ($state === "ahead" ? theme.rule : theme.ink)};
  }
  > b { height: ${({ $shape }) => $shape.out - 2}px; line-height: ${({ $shape }) => $shape.out - 2}px; font-weight: 400; }
  &[aria-pressed="true"] > b { color: ${({ theme }) => theme.verdigris}; font-weight: 700; }
  &[aria-pressed="true"]::before { border-color: ${({ theme }) => theme.verdigris}; border-left-width: 4px; }
  &:focus-visible { outline-offset: -2px; }
`;

const Back = styled(Tick)`
  position: absolute;
  left: 0;
  right: 1rem;
  top: ${({ $shape }) => $shape.back - 12}px;
  height: 24px;
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

/** Why the request stopped, below its line: whole, however long it is. */
const Reason = styled.p`
  padding-bottom: ${({ theme }) => theme.space(1)};
  font-size: 0.9375rem;
  line-height: 1.25;
  overflow-wrap: anywhere;
  color: ${({ theme }) => theme.minium};
`;

const Toggle = styled(Small)`
  position: absolute;
  right: 6.5rem;
  bottom: -4px;
  padding: 0 0.5rem;
  background: ${({ theme }) => theme.paper};
  font-size: 0.8125rem;
  z-index: 1;
`;

const Ways = styled.span`
  position: absolute;
  right: 13rem;
  bottom: -4px;
  display: flex;
  gap: ${({ theme }) => theme.space(4)};
  padding: 0 0.5rem;
  background: ${({ theme }) => theme.paper};
  font-size: 0.8125rem;
  line-height: 24px;
  z-index: 1;
`;

interface HalfProps {
  readonly title: string;
  readonly steps: readonly StepName[];
  readonly request: RecordedRequest | undefined;
  readonly isTall: boolean;
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
  shape: { out, back, height },
  outward,
  reached,
  stopped,
  walked,
}: {
  shape: Shape;
  outward: number;
  reached: number;
  stopped: boolean;
  walked: boolean;
}) {
  const percent = `${(reached * 100) / outward}%`;
  const round = Math.min(20, (back - out) / 2);
  const turn = `M-24 ${out}h${24 - round}q${round} 0 ${round} ${round}v${back - out - 2 * round}q0 ${round} -${round} ${round}h-${24 - round}`;
  return (
    <svg aria-hidden="true" focusable="false" height={height}>
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

function TripHalf({ title, steps, request, isTall, chosen, onChoose }: HalfProps) {
  const [pointed, point] = useState<StepName>();
  const shape = shapes[request ? (isTall ? "tall" : "slim") : "empty"];
  const last = steps.at(-1) as StepName;
  const outwardSteps = request ? steps.slice(0, -1) : steps;
  const stop = request && stoppedAt(request);
  const reached = stop ? Math.min(steps.indexOf(stop.step), outwardSteps.length - 1) : outwardSteps.length;
  const stepOf = (name: StepName): RecordedStep | undefined => request?.steps.find((each) => each.step === name);
  const told = pointed ?? chosen ?? last;
  return (
    <Half aria-label={title}>
      <Line
        shape={shape}
        outward={outwardSteps.length}
        reached={reached}
        stopped={stop !== undefined}
        walked={request !== undefined}
      />
      <Name>{title}</Name>
      <Said title={request && msText(request.ms.toFixed(1))}>
        {request ? (
          <>
            <Mark kind={outcomeMark(request.outcome)}>{outcomeWord(request.outcome)}</Mark>
            {isTall && (
              <>
                <br />
                {request.ms < 10 ? request.ms.toFixed(1) : Math.round(request.ms)} ms
                <br />
                <Moment at={request.at} />
              </>
            )}
          </>
        ) : (
          "not yet"
        )}
      </Said>
      <div style={{ height: shape.height }}>
        <Ticks $count={outwardSteps.length} onMouseLeave={() => point(undefined)}>
          {outwardSteps.map((name) => (
            <li key={name}>
              <Tick
                type="button"
                $state={stateOf(request, name)}
                $shape={shape}
                aria-pressed={chosen === name}
                onClick={() => onChoose(name)}
                onMouseEnter={() => point(name)}
                onFocus={() => point(name)}
                onBlur={() => point(undefined)}
              >
                <b>{stepTitle[name]}</b>
                {isTall ? (
                  <StepValues step={stepOf(name)} most={3} />
                ) : (
                  <Unseen>
                    <StepValues step={stepOf(name)} most={3} />
                  </Unseen>
                )}
              </Tick>
            </li>
          ))}
        </Ticks>
        {request && !stop && (
          <Back
            type="button"
            $state={stateOf(request, last)}
            $shape={shape}
            aria-pressed={chosen === last}
            onClick={() => onChoose(last)}
          >
            <b>{stepTitle[last]}</b>
            {isTall || told === last ? (
              <StepValues step={stepOf(last)} most={5} />
            ) : (
              <>
                <Unseen>
                  <StepValues step={stepOf(last)} most={5} />
                </Unseen>
                <Pointed aria-hidden="true">
                  {stepTitle[told]}: <StepValues step={stepOf(told)} most={5} />
                </Pointed>
              </>
            )}
          </Back>
        )}
      </div>
      {stop && <Reason>{stop.stopped}</Reason>}
    </Half>
  );
}

const Drawing = styled.div<{ $hasFoot: boolean }>`
  position: relative;
  /* The names of the edges stand below the line; a half where nobody went has room for them. */
  padding: 0.125rem 0 ${({ $hasFoot }) => ($hasFoot ? "0.75rem" : "0.25rem")};
`;

/** For who listens: what others see where they point. */
const Unseen = styled.span`
  position: absolute;
  width: 1px;
  height: 1px;
  overflow: hidden;
  clip-path: inset(50%);
`;

/** On the way back of a slim half: the values of the step that one points at. */
const Pointed = styled.span`
  font-size: 0.8125rem;
  color: ${({ theme }) => theme.verdigris};
  > span { display: inline; margin: 0; color: ${({ theme }) => theme.ink}; }
  > span > span { display: inline; margin-right: 1rem; }
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
  /** Ways to more of the same, at its foot. */
  readonly children?: React.ReactNode;
}

/**
 * The round trip, drawn as one line: it leaves the browser's edge at the left, touches the database's edge at the right and
 * comes back; opening above, saving below. Each step is a tick; its real values are told where one points, or of all steps when
 * the drawing is opened.
 */
export function RoundTrip({ open, save, chosen, onChoose, children }: RoundTripProps) {
  const of = (half: ChosenStep["half"]) => ({
    chosen: chosen?.half === half ? chosen.step : undefined,
    onChoose: (step: StepName) => onChoose({ half, step }),
  });
  // It opens by itself where a request stopped, until somebody says otherwise.
  const stopped = [open, save].flatMap((request) => (request && stoppedAt(request)?.stopped) ?? []).join("\n");
  const [said, say] = useState<{ readonly isTall: boolean; readonly about: string }>();
  const isTall = said && said.about === stopped ? said.isTall : stopped !== "" || (said?.isTall ?? false);
  return (
    <Drawing $hasFoot={save !== undefined}>
      <Edge $side="browser" aria-hidden="true">
        <span>browser</span>
      </Edge>
      <Edge $side="database" aria-hidden="true">
        <span>database</span>
      </Edge>
      <TripHalf title="Open" steps={openSteps} request={open} isTall={isTall} {...of("open")} />
      <TripHalf title="Save" steps={saveSteps} request={save} isTall={isTall} {...of("save")} />
      {children && <Ways>{children}</Ways>}
      <Toggle type="button" aria-expanded={isTall} onClick={() => say({ isTall: !isTall, about: stopped })}>
        {isTall ? "Hide values" : "Show values"}
      </Toggle>
    </Drawing>
  );
}
