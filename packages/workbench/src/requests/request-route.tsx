import { asCase, asCurl, asHar } from "@loyal-quill/authoring";
import { isSaving, type RecordedRequest, type RecordedStep, readPairs, type StepName } from "@loyal-quill/core";
import { useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { styled } from "styled-components";
import { ask } from "../api/client.js";
import { useRequest, useSession } from "../api/queries.js";
import { English } from "../parts/english.js";
import { Small } from "../parts/inputs.js";
import { Mark } from "../parts/mark.js";
import { Moment } from "../parts/moment.js";
import { Failed, QuietButton, Waiting } from "../parts/states.js";
import { Head, Scroll, Table } from "../parts/table.js";
import { Title, useDocumentTitle } from "../parts/title.js";
import { type ChosenStep, RoundTrip } from "../round-trip/round-trip.js";
import { outcomeMark, outcomeWord, stepTitle, stoppedAt } from "../round-trip/wording.js";

/** How a value's note tells what it was before. */
const was = /^was /;

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

const Pair = styled.div`
  display: grid;
  grid-template-columns: repeat(2, minmax(0, 1fr));
  gap: ${({ theme }) => theme.space(8)};
  @media (max-width: 60rem) { grid-template-columns: 1fr; }
`;

/** A text as it is, in a block that scrolls. */
const Source = ({ children, label }: { children: string; label: string }) => (
  <Scroll aria-label={label} style={{ maxHeight: "24rem", overflow: "auto" }}>
    <pre>{children}</pre>
  </Scroll>
);

function Copies({ request }: { request: RecordedRequest }) {
  const origin = `${location.origin}${useSession().data?.mount ?? ""}`;
  const [copied, setCopied] = useState<string>();
  const copy = async (what: string, text: string): Promise<void> => {
    await navigator.clipboard.writeText(text).catch(() => {});
    setCopied(what);
  };
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
      <span role="status">{copied && `${copied} copied.`}</span>
    </>
  );
}

/** Names and values of two requests side by side, what differs marked. */
function Values({
  rows,
  columns,
  label,
}: {
  rows: readonly {
    readonly name: string;
    readonly cells: readonly (string | null | undefined)[];
    readonly differs?: boolean;
  }[];
  columns: readonly string[];
  label: string;
}) {
  return (
    <Scroll aria-label={label}>
      <Table>
        <Head columns={columns} />
        <tbody>
          {rows.map(({ name, cells, differs }, place) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: a step may be called twice
            <tr key={`${name} ${place}`} className={differs ? "differs" : undefined}>
              <th scope="row">
                <code>{name}</code>
              </th>
              {cells.map((cell, index) => (
                // biome-ignore lint/suspicious/noArrayIndexKey: a cell's column is its name
                <td key={index}>
                  {cell === null ? <i>{"null"}</i> : <code style={{ whiteSpace: "pre-wrap" }}>{cell}</code>}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </Table>
    </Scroll>
  );
}

const stepOf = (request: RecordedRequest, name: StepName): RecordedStep | undefined =>
  request.steps.find(({ step }) => step === name);

function FieldsRead({ request }: { request: RecordedRequest }) {
  const read = stepOf(request, "read");
  if (!read || read.values.length === 0) return null;
  const problems = new Map(
    (stepOf(request, "check")?.values ?? []).map(({ row, name, value }) => [named({ row, name }), value]),
  );
  return (
    <section aria-labelledby="read">
      <h2 id="read">Fields as read</h2>
      <Values
        label="Fields as read"
        columns={["Field", "As sent", "Tidied", "Read as", "Problem"]}
        rows={read.values.map((each) => ({
          name: named(each),
          cells: [
            each.sent ?? "(nothing)",
            each.note === "touched" ? each.value : (each.note ?? ""),
            each.became === undefined ? "" : each.became,
            each.problem ?? problems.get(named(each)) ?? "",
          ],
        }))}
      />
      {read.noticed?.map((sentence) => (
        <p key={sentence}>
          <Mark kind="wait">{sentence}</Mark>
        </p>
      ))}
    </section>
  );
}

/** A value's name; of several records, after its record's key. */
const named = ({ row, name }: { readonly row?: string | undefined; readonly name: string }): string =>
  row === undefined ? name : `${row}: ${name}`;

/** The developer's own steps, as they were called. */
function OwnSteps({ request }: { request: RecordedRequest }) {
  const called = request.steps.flatMap(({ step, own = [] }) => own.map((each) => ({ step, ...each })));
  if (called.length === 0) return null;
  return (
    <section aria-labelledby="own">
      <h2 id="own">Your own steps</h2>
      <Values
        label="Your own steps"
        columns={["Called", "Step", "ms", "What it said"]}
        rows={called.map(({ name, step, ms, said }) => ({
          name,
          cells: [stepTitle[step], ms.toFixed(1), said ?? "–"],
        }))}
      />
    </section>
  );
}

/** The row before and after a save, as far as it changed. */
function RowChange({ request }: { request: RecordedRequest }) {
  const write = stepOf(request, "write");
  const changed = (write?.values ?? []).filter(({ note }) => note === "changed" || was.test(note ?? ""));
  const load = stepOf(request, "load");
  if (changed.length > 0)
    return (
      <section aria-labelledby="row">
        <h2 id="row">Row before and after</h2>
        <Values
          label="Row before and after"
          columns={["Column", "Before", "After"]}
          rows={changed.map(({ name, value, note }) => ({
            name,
            cells: [note === "changed" ? "(not kept)" : (note ?? "").replace(was, ""), value],
          }))}
        />
      </section>
    );
  if (!load || load.values.length === 0) return null;
  return (
    <section aria-labelledby="row">
      <h2 id="row">Row as loaded</h2>
      <Values
        label="Row as loaded"
        columns={["Column", "Value"]}
        rows={load.values.map(({ name, value }) => ({ name, cells: [value] }))}
      />
    </section>
  );
}

function Statement({
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

function Wire({ request }: { request: RecordedRequest }) {
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

const told = (request: RecordedRequest): readonly (readonly [string, string])[] => {
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
  if (request.isPending) return <Waiting height="60vh" what="Loading request" />;
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
