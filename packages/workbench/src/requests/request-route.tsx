import { asCase, asCurl, asHar } from "@loyal-quill/authoring";
import { isSaving, type RecordedRequest } from "@loyal-quill/core";
import { useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { styled } from "styled-components";
import { useRequest, useSession } from "../api/queries.js";
import { copyingRefused } from "../parts/copy.js";
import { English } from "../parts/english.js";
import { Small } from "../parts/inputs.js";
import { Mark } from "../parts/mark.js";
import { Moment } from "../parts/moment.js";
import { Failed, QuietButton, Waiting } from "../parts/states.js";
import { Title, useDocumentTitle } from "../parts/title.js";
import { type ChosenStep, RoundTrip } from "../round-trip/round-trip.js";
import { outcomeMark, outcomeWord, stepTitle } from "../round-trip/wording.js";
import { FieldsRead, OwnSteps, Pair, RowChange, Values } from "./request-fields.js";
import { Statement, told, Wire } from "./request-wire.js";

const sideBySide = (count: string | number) => `Side by side, ${count} ${count === 1 ? "difference" : "differences"}`;

const Top = styled.div`
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: ${({ theme }) => `${theme.space(1)} ${theme.space(5)}`};
`;

const Sections = styled.div`
  section { margin-top: ${({ theme }) => theme.space(5)}; }
  h2 { font-size: 1.125rem; margin-bottom: ${({ theme }) => theme.space(1)}; }
  h3 { font-size: 1rem; margin: ${({ theme }) => `${theme.space(3)} 0 ${theme.space(1)}`}; }
  pre { white-space: pre-wrap; overflow-wrap: anywhere; border-left: 1px solid ${({ theme }) => theme.rule}; padding-left: ${({ theme }) => theme.space(3)}; }
  td { overflow-wrap: anywhere; }
  .differs { background: ${({ theme }) => theme.wash}; }
`;

function Copies({ request }: { request: RecordedRequest }) {
  const origin = `${location.origin}${useSession().data?.mount ?? ""}`;
  const [said, say] = useState<string>();
  const copy = (what: string, text: string): Promise<void> =>
    navigator.clipboard.writeText(text).then(
      () => say(`${what} copied.`),
      () => say(copyingRefused),
    );
  return (
    <>
      <Small type="button" onClick={() => void copy("curl", asCurl(request, origin))}>
        Copy as curl
      </Small>
      <Small type="button" onClick={() => void copy("HAR", JSON.stringify(asHar([request], origin), null, 2))}>
        Copy as HAR
      </Small>
      <Small type="button" onClick={() => void copy("Test case", asCase(request))}>
        Copy as test case
      </Small>
      <span role="status">{said}</span>
    </>
  );
}

/** Two requests side by side: what differs first. */
function Compared({ one, other }: { one: RecordedRequest; other: RecordedRequest }) {
  const [a, b] = [new Map(told(one)), new Map(told(other))];
  const rows = [...new Set([...a.keys(), ...b.keys()])].map((name) => ({
    name,
    cells: [a.get(name) ?? "–", b.get(name) ?? "–"],
    differs: a.get(name) !== b.get(name),
  }));
  const differing = rows.filter(({ differs }) => differs).length;
  return (
    <section>
      <h2>{sideBySide(differing)}</h2>
      <Values
        label={sideBySide(differing)}
        columns={["What", `${one.at.slice(0, 19)}`, `${other.at.slice(0, 19)}`]}
        rows={rows.toSorted((x, y) => Number(y.differs) - Number(x.differs))}
      />
    </section>
  );
}

/** One request: the whole trip with its real values, from the wire to the row and back. */
export default function RequestRoute() {
  const { id = "" } = useParams();
  const [search] = useSearchParams();
  const request = useRequest(id);
  const other = useRequest(search.get("with") ?? undefined);
  const [chosen, choose] = useState<ChosenStep>();
  const { data: found } = request;
  useDocumentTitle(found ? `${found.method} ${found.path}, ${outcomeWord(found.outcome)}` : "Request");
  if (request.isPending) return <Waiting height="60vh" what="Loading request" isPlace />;
  if (request.error)
    return (
      <>
        <Title>Request</Title>
        <Failed error={request.error} again={() => void request.refetch()} />
      </>
    );
  const { data } = request;
  const saves = isSaving(data.operation);
  const steps = chosen ? data.steps.filter(({ step }) => step === chosen.step) : data.steps;
  return (
    <English>
      <Top>
        <Title>
          {data.method} {data.path}
        </Title>
        <Mark kind={outcomeMark(data.outcome)}>{outcomeWord(data.outcome)}</Mark>
        <span>{data.actor?.name ?? "not signed in"}</span>
        <Moment at={data.at} />
        <code>{data.ms.toFixed(1)} ms</code>
      </Top>
      <Top>
        {data.page && data.operation !== "list" && data.operation !== "rows" && (
          <Link to={`/pages/${encodeURIComponent(data.page)}?request=${data.id}`}>Show on the Sheet</Link>
        )}
        {data.page && (
          <Link to={`/pages/${encodeURIComponent(data.page)}/replay`} state={{ ids: [data.id] }}>
            Replay on the draft
          </Link>
        )}
        {data.page && data.key && (
          <Link to={`/requests?page=${encodeURIComponent(data.page)}&record=${encodeURIComponent(data.key.join("/"))}`}>
            Other requests for this record
          </Link>
        )}
        <Copies request={data} />
      </Top>
      <RoundTrip open={saves ? undefined : data} save={saves ? data : undefined} chosen={chosen} onChoose={choose} />
      <p>
        Request number <code>{data.id}</code>
        {data.trace && (
          <>
            , trace <code>{data.trace}</code>
          </>
        )}
        {chosen && (
          <>
            {" "}
            <QuietButton onClick={() => choose(undefined)}>Show all steps</QuietButton>
          </>
        )}
      </p>
      <Sections>
        {other.data && <Compared one={data} other={other.data} />}
        {chosen ? (
          <Pair>
            <section>
              <h2>{stepTitle[chosen.step]}</h2>
              <Values
                label={stepTitle[chosen.step]}
                columns={["What", "Value", "Note"]}
                rows={steps.flatMap(({ values }) =>
                  values.map(({ name, value, note }) => ({ name, cells: [value, note ?? ""] })),
                )}
              />
            </section>
          </Pair>
        ) : (
          <>
            <FieldsRead request={data} />
            <OwnSteps request={data} />
            <RowChange request={data} />
          </>
        )}
        <section aria-labelledby="statements">
          <h2 id="statements">Statements</h2>
          {steps.every(({ statements }) => statements.length === 0) && <p>No statement was sent.</p>}
          {steps.flatMap(({ step, statements }) =>
            statements.map((statement, index) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: a statement's place is its name
              <Statement key={`${step} ${index}`} id={data.id} step={step} index={index} statement={statement} />
            )),
          )}
        </section>
        {!chosen && <Wire request={data} />}
      </Sections>
    </English>
  );
}
