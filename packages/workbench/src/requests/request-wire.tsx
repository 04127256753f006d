import { type RecordedRequest, type RecordedStep, readPairs, type StepName } from "@loyal-quill/core";
import { useState } from "react";
import { ask } from "../api/client.js";
import { Small } from "../parts/inputs.js";
import { Scroll } from "../parts/table.js";
import { outcomeWord, stepTitle, stoppedAt } from "../round-trip/wording.js";
import { Values } from "./request-fields.js";

/** A text as it is, in a block that scrolls. */
const Source = ({ children, label }: { children: string; label: string }) => (
  <Scroll aria-label={label} style={{ maxHeight: "24rem", overflow: "auto" }}>
    <pre>{children}</pre>
  </Scroll>
);

export function Statement({
  id,
  step,
  index,
  statement,
}: {
  id: string;
  step: StepName;
  index: number;
  statement: RecordedStep["statements"][number];
}) {
  const [plan, setPlan] = useState<string>();
  const explain = async (): Promise<void> => {
    setPlan("Planning …");
    try {
      const query = new URLSearchParams({ step, statement: String(index) });
      setPlan((await ask<{ plan: string }>(`/requests/${id}/plan?${query}`)).plan);
    } catch (error) {
      setPlan((error as Error).message);
    }
  };
  return (
    <>
      <h3>
        {stepTitle[step]}: {statement.purpose}, {statement.rows === 1 ? "1 row" : `${statement.rows} rows`}
        {statement.standby && <>, answered by standby {statement.standby}</>}{" "}
        <Small type="button" onClick={() => void explain()}>
          Show plan
        </Small>
      </h3>
      <Source label={statement.purpose}>{statement.text}</Source>
      <Values
        label={`Parameters of ${statement.purpose}`}
        columns={["Parameter", "Value"]}
        rows={statement.values.map((value, place) => ({ name: `$${place + 1}`, cells: [value] }))}
      />
      {plan !== undefined && <Source label={`Plan of ${statement.purpose}`}>{plan}</Source>}
    </>
  );
}

export function Wire({ request }: { request: RecordedRequest }) {
  const { wire } = request;
  if (!wire)
    return (
      <section>
        <h2>Over the wire</h2>
        <p>Headers and body were not kept with this request.</p>
      </section>
    );
  const pairs = readPairs(wire.body ?? "");
  return (
    <>
      <section aria-labelledby="wire">
        <h2 id="wire">Over the wire</h2>
        <Values
          label="Headers and query"
          columns={["Header", "Value"]}
          rows={Object.entries({ ...wire.headers, ...wire.query }).map(([name, value]) => ({ name, cells: [value] }))}
        />
        {wire.body !== null && (
          <>
            <h3>Body as sent</h3>
            <Source label="Body as sent">{wire.body}</Source>
            {typeof pairs !== "string" && (
              <>
                <h3>Names and values</h3>
                <Values
                  label="Names and values"
                  columns={["Name", "Value"]}
                  rows={pairs.map(([name, value], index) => ({ name: `${index + 1}. ${name}`, cells: [value] }))}
                />
              </>
            )}
          </>
        )}
      </section>
      <section aria-labelledby="answer">
        <h2 id="answer">Response, {request.status}</h2>
        <Values
          label="Response headers"
          columns={["Header", "Value"]}
          rows={Object.entries(wire.answer.headers).map(([name, value]) => ({ name, cells: [value] }))}
        />
        {wire.answer.body && (
          <>
            <h3>Response body</h3>
            <Source label="Response body">{wire.answer.body}</Source>
          </>
        )}
      </section>
    </>
  );
}

/** The values of a body by the names under which they came; of one that can't be read, none. */
function sentBy(request: RecordedRequest): ReadonlyMap<string, string> {
  const pairs = readPairs(request.wire?.body ?? "");
  return new Map(typeof pairs === "string" ? [] : pairs);
}

export const told = (request: RecordedRequest): readonly (readonly [string, string])[] => {
  const sent = [...sentBy(request)].filter(([name]) => name !== "quill.token");
  return [
    ["Outcome", `${outcomeWord(request.outcome)}, ${request.status}`],
    ["Who", request.actor?.name ?? "not signed in"],
    ["Record", request.key?.join(" / ") ?? "–"],
    ["Stopped at", stoppedAt(request) ? stepTitle[stoppedAt(request)?.step ?? "route"] : "–"],
    ["Reason", stoppedAt(request)?.stopped ?? "–"],
    ...sent.map(([name, value]) => [`sent ${name}`, value] as const),
    ...request.steps.flatMap(({ step, values }) =>
      values.map(
        ({ name, value, note }) =>
          [`${stepTitle[step]} ${name}`, `${value ?? "null"}${note ? ` (${note})` : ""}`] as const,
      ),
    ),
  ];
};
