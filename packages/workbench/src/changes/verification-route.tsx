import { beyondVerifying, logFindingKinds } from "@loyal-quill/core";
import type { VerificationAnswer } from "@loyal-quill/server/api";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
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
import { Title } from "../parts/title.js";
import { texts } from "../texts.js";
import { ChangePlaces } from "./change-places.js";

const says = texts.verificationRoute;

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

function Last({ last }: { last: NonNullable<VerificationAnswer["last"]> }) {
  const { by, report } = last;
  const { counts, findings, found } = report;
  return (
    <>
      <p>
        {found === 0 ? <Mark kind="good">{says.sound}</Mark> : <Mark kind="stop">{says.found(figure(found))}</Mark>}
      </p>
      {/* A report of before says nothing of it. */}
      <p>{beyondVerifying(report.outside ?? { seals: 0, last: null, signatures: false })}</p>
      <Facts>
        <dt>{says.verified}</dt>
        <dd>
          <Moment at={report.at} /> {says.by(by, (report.ms / 1000).toFixed(1))}
        </dd>
        <dt>{says.entries}</dt>
        <dd>{says.ofThem(figure(counts.entries), figure(counts.unsealed))}</dd>
        <dt>{says.seals}</dt>
        <dd>{figure(counts.seals)}</dd>
        <dt>{says.watchedTables}</dt>
        <dd>{counts.tables === 0 ? says.noTable : says.rowsOf(figure(counts.rows), figure(counts.tables))}</dd>
        {counts.erased > 0 && (
          <>
            <dt>{says.erased}</dt>
            <dd>{figure(counts.erased)}</dd>
          </>
        )}
        {counts.dropped > 0 && (
          <>
            <dt>{says.dropped}</dt>
            <dd>{figure(counts.dropped)}</dd>
          </>
        )}
      </Facts>
      {findings.length > 0 && (
        <Scroll aria-label={says.findings}>
          <Table>
            <Head columns={[says.where, says.what, says.detail]} />
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
      {found > findings.length && <p>{says.andMore(figure(found - findings.length))}</p>}
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
  useEffect(() => {
    document.title = texts.documentTitle(says.verification);
  }, []);
  const { data, error, isPending } = verification;
  const run = data?.run ?? null;
  return (
    <English>
      <Heading>
        <Title>{says.verification}</Title>
        <ChangePlaces />
      </Heading>
      {isPending && <Waiting height="40vh" what={says.loading} />}
      {error && <Failed error={error} again={() => void verification.refetch()} />}
      {begin.error && <Failed error={begin.error} again={() => begin.mutate()} />}
      {data && (
        <Lines>
          <p>
            {data.sealed ? (
              <>
                {says.lastSeal(data.sealed.number)} <Moment at={data.sealed.at} />
                {data.sealed.isSigned ? says.signed : says.notSigned} {says.waiting(figure(data.sealed.waiting))}
              </>
            ) : (
              says.noSeal
            )}
          </p>
          {run?.state === "running" ? (
            <>
              <Bar value={run.done * 100}>
                {({ percentage, valueText }) => (
                  <>
                    <Label>{says.verifying}</Label> {valueText}
                    <div className="track">
                      <div className="fill" style={{ width: `${percentage ?? 0}%` }} />
                    </div>
                  </>
                )}
              </Bar>
              <QuietButton onClick={() => cancel.mutate()}>{says.cancel}</QuietButton>
            </>
          ) : (
            <Strong disabled={begin.isPending} onClick={() => begin.mutate()}>
              {says.verifyNow}
            </Strong>
          )}
          {run?.state === "failed" && (
            <p role="alert">
              <Mark kind="stop">{says.failed}</Mark> {run.because}
            </p>
          )}
          {run?.state === "cancelled" && <p role="status">{says.cancelled}</p>}
          {data.last ? <Last last={data.last} /> : <Empty title={says.neverVerified}>{says.whatItDoes}</Empty>}
        </Lines>
      )}
    </English>
  );
}
