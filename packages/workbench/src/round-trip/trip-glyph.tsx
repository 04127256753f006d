import { isSaving, openSteps, saveSteps } from "@loyal-quill/core";
import { styled } from "styled-components";
import { type Glance, stoppedAt, summary } from "./wording.js";

const width = 116;
const height = 22;
const out = 6;
const back = 16;

const Drawing = styled.svg`
  display: block;
  overflow: visible;
  .way { stroke: ${({ theme }) => theme.ink}; fill: none; stroke-width: 1.5; }
  .ahead { stroke: ${({ theme }) => theme.rule}; fill: none; }
  .edge { stroke: ${({ theme }) => theme.edge}; }
  .stop { stroke: ${({ theme }) => theme.minium}; stroke-width: 1.75; }
`;

/** The round trip of one request, small: how far the line went, and whether it came back. */
export function TripGlyph({ request }: { request: Glance }) {
  const steps = isSaving(request.operation) ? saveSteps : openSteps;
  const stop = stoppedAt(request);
  const outward = steps.length - 1;
  const x = (index: number): number => 6 + (index * (width - 18)) / (outward - 1);
  const reached = stop ? Math.min((steps as readonly string[]).indexOf(stop.step), outward - 1) : outward - 1;
  const turn = `M0 ${out}H${width - 6}q5 0 5 5t-5 5H0`;
  return (
    <Drawing width={width} height={height} viewBox={`0 0 ${width} ${height}`} role="img" aria-label={summary(request)}>
      <path className="ahead" d={turn} />
      <path className="edge" d={`M0 1V${height - 1}M${width} 1V${height - 1}`} />
      {stop ? (
        <path className="way" d={`M0 ${out}H${x(reached)}`} />
      ) : (
        <path className="way" d={`${turn}m5 -3.5l-5 3.5l5 3.5`} />
      )}
      {steps.slice(0, reached + 1).map((step, index) => (
        <path key={step} className="way" d={`M${x(index)} ${out - 3}v6`} />
      ))}
      {stop && <path className="stop" d={`M${x(reached) - 4} ${out - 4}l8 8m0 -8l-8 8`} />}
      {!stop && <path className="way" d={`M18 ${back - 3}v6`} />}
    </Drawing>
  );
}
