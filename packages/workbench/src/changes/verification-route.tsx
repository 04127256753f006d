import { beyondVerifying, logFindingKinds } from "@loyal-quill/core";
import type { VerificationAnswer } from "@loyal-quill/server/api";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Label, ProgressBar } from "react-aria-components";
import { styled } from "styled-components";
import { ask } from "../api/client.js";
import { useVerification } from "../api/queries.js";
import { English } from "../parts/english.js";
import { figure } from "../parts/figures.js";
import { Mark } from "../parts/mark.js";
import { Moment } from "../parts/moment.js";
import { Empty, Failed, QuietButton, Strong, Waiting } from "../parts/states.js";
import { Head, Scroll, Table } from "../parts/table.js";
import { Title, useDocumentTitle } from "../parts/title.js";
import { ChangePlaces } from "./change-places.js";

const Heading = styled.div`
  display: flex;
  align-items: baseline;
  gap: ${({ theme }) => theme.space(8)};
`;

const Lines = styled.div`
  > * { margin-top: ${({ theme }) => theme.space(3)}; }
`;

const Facts = styled.dl`
  display: grid;
  grid-template-columns: max-content minmax(0, 1fr);
  gap: ${({ theme }) => `${theme.space(1)} ${theme.space(6)}`};
  margin: ${({ theme }) => `${theme.space(4)} 0`};
  dt { color: ${({ theme }) => theme.soft}; }
  dd { margin: 0; }
`;

const Bar = styled(ProgressBar)`
  display: block;
  max-width: 30rem;
  margin: ${({ theme }) => `${theme.space(3)} 0`};
  .track { height: 4px; background: ${({ theme }) => theme.rule}; }
  .fill { height: 4px; background: ${({ theme }) => theme.verdigris}; }
`;

const Unread = styled.p`
  overflow-wrap: anywhere;
`;

function Last({ last }: { last: NonNullable<VerificationAnswer["last"]> }) {
  const { by, report } = last;
  const { counts, findings, found } = report;
  return (
    <>
      <p>
        {found === 0 ? (
          <Mark kind="good">nothing is wrong with the log</Mark>
        ) : (
          <Mark kind="stop">findings: {figure(found)}</Mark>
        )}
      </p>
      {/* A report of before says nothing of it. */}
      <p>{beyondVerifying(report.outside ?? { seals: 0, last: null, signatures: false })}</p>
      {report.outside?.unread?.map((place) => (
        <Unread key={place}>
          <Mark kind="stop">Seals kept elsewhere could not be read:</Mark> {place}
        </Unread>
      ))}
      <Facts>
        <dt>Verified</dt>
        <dd>
          <Moment at={report.at} /> by {by}, in {(report.ms / 1000).toFixed(1)} s
        </dd>
        <dt>Entries</dt>
        <dd>
          {figure(counts.entries)}, of which {figure(counts.unsealed)} have no seal yet
        </dd>
        <dt>Seals</dt>
        <dd>{figure(counts.seals)}</dd>
        <dt>Watched tables</dt>
        <dd>{counts.tables === 0 ? "none" : `${figure(counts.tables)}, with ${figure(counts.rows)} rows`}</dd>
        {counts.erased > 0 && (
          <>
            <dt>Entries with erased values</dt>
            <dd>{figure(counts.erased)}</dd>
          </>
        )}
        {counts.dropped > 0 && (
          <>
            <dt>Entries removed by the retention policy</dt>
            <dd>{figure(counts.dropped)}</dd>
          </>
        )}
      </Facts>
      {findings.length > 0 && (
        <Scroll aria-label="Findings">
          <Table>
            <Head columns={["Where", "What", "Detail"]} />
            <tbody>
              {findings.map(({ kind, place, said }, index) => (
                // biome-ignore lint/suspicious/noArrayIndexKey: two findings may be the same in every word
                <tr key={index}>
                  <th scope="row">
                    <code>{place}</code>
                  </th>
                  <td>
                    <Mark kind="stop">{logFindingKinds[kind]}</Mark>
                  </td>
                  <td>{said}</td>
                </tr>
              ))}
            </tbody>
          </Table>
        </Scroll>
      )}
      {found > findings.length && <p>… and {figure(found - findings.length)} more.</p>}
    </>
  );
}

/** Whether the log holds: last verified, what was found, and verifying it now. */
export default function VerificationRoute() {
  const verification = useVerification();
  const queries = useQueryClient();
  const ended = { onSuccess: (answer: VerificationAnswer) => queries.setQueryData(["verification"], answer) };
  const begin = useMutation({
    mutationFn: () => ask<VerificationAnswer>("/changes/verification", { method: "POST" }),
    ...ended,
  });
  const cancel = useMutation({
    mutationFn: () => ask<VerificationAnswer>("/changes/verification", { method: "DELETE" }),
    ...ended,
  });
  useDocumentTitle("Verification");
  const { data, error, isPending } = verification;
  const run = data?.run ?? null;
  return (
    <English>
      <Heading>
        <Title>Verification</Title>
        <ChangePlaces />
      </Heading>
      {isPending && <Waiting height="40vh" what="Loading the last verification" />}
      {error && <Failed error={error} again={() => void verification.refetch()} />}
      {begin.error && <Failed error={begin.error} again={() => begin.mutate()} />}
      {cancel.error && <Failed error={cancel.error} again={() => cancel.mutate()} />}
      {data && (
        <Lines>
          <p>
            {data.sealed ? (
              <>
                Last seal: number {data.sealed.number}, {data.sealed.isSigned ? "signed" : "not signed"},{" "}
                <Moment at={data.sealed.at} />. Entries since then: {figure(data.sealed.waiting)}.
              </>
            ) : (
              "Nothing is sealed yet. Seals are made within the hour, or with: quill log seal"
            )}
          </p>
          {run?.state === "running" ? (
            <>
              <Bar value={run.done * 100}>
                {({ percentage, valueText }) => (
                  <>
                    <Label>Verifying</Label> {valueText}
                    <div className="track">
                      <div className="fill" style={{ width: `${percentage ?? 0}%` }} />
                    </div>
                  </>
                )}
              </Bar>
              <QuietButton onClick={() => cancel.mutate()}>Cancel</QuietButton>
            </>
          ) : (
            <Strong $busy={begin.isPending} onClick={() => begin.mutate()}>
              Verify now
            </Strong>
          )}
          {run?.state === "failed" && (
            <p role="alert">
              <Mark kind="stop">could not be verified</Mark> {run.because}
            </p>
          )}
          {run?.state === "cancelled" && <p role="status">Cancelled.</p>}
          {data.last ? (
            <Last last={data.last} />
          ) : (
            <Empty title="Never verified here">
              Verifying recomputes every hash, from all entries and seals, and holds the rows of watched tables against
              what the log says.
            </Empty>
          )}
        </Lines>
      )}
    </English>
  );
}
