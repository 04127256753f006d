import type { PlayedAnswer, RehearsalAnswer } from "@loyal-quill/server/api";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useParams } from "react-router";
import { styled } from "styled-components";
import { ask } from "../api/client.js";
import { useRehearsal, useRehearsedCase, useSession } from "../api/queries.js";
import { English } from "../parts/english.js";
import { figure } from "../parts/figures.js";
import { Heard } from "../parts/heard.js";
import { CheckBox } from "../parts/inputs.js";
import { Mark } from "../parts/mark.js";
import { Moment } from "../parts/moment.js";
import { Empty, Failed, QuietButton, Strong, Waiting } from "../parts/states.js";
import { Scroll, Table } from "../parts/table.js";
import { Title, useDocumentTitle } from "../parts/title.js";
import { useFilters } from "../parts/use-filters.js";
import { stepTitle } from "../round-trip/wording.js";
import { useDraft } from "../sheet/draft/use-draft.js";
import { CaseDetail } from "./case-detail.js";
import { differs, isDiffering, resultOf, verdictMark, verdictWord } from "./wording.js";

const Top = styled.div`
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: ${({ theme }) => `${theme.space(1)} ${theme.space(5)}`};
  margin-bottom: ${({ theme }) => theme.space(2)};
`;

const Two = styled.div`
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  gap: ${({ theme }) => theme.space(8)};
  align-items: start;
  margin-top: ${({ theme }) => theme.space(4)};
  h2 { margin-bottom: ${({ theme }) => theme.space(2)}; }
  section + h2 { margin-top: ${({ theme }) => theme.space(6)}; }
  @media (max-width: 60rem) { grid-template-columns: 1fr; }
`;

const Beside = styled.div`
  position: sticky;
  top: 0;
  max-height: 100vh;
  overflow: auto;
`;

const Step = styled.th.attrs({ colSpan: 2, scope: "colgroup" })`
  && { padding-top: ${({ theme }) => theme.space(4)}; font-weight: 700; }
  span { font-weight: 400; color: ${({ theme }) => theme.soft}; margin-left: ${({ theme }) => theme.space(3)}; }
`;

const Case = styled.button`
  border: 0;
  background: none;
  padding: 2px 0;
  text-align: start;
  cursor: pointer;
  min-height: 24px;
  &:hover { text-decoration: underline; }
  &[aria-pressed="true"] { color: ${({ theme }) => theme.verdigris}; font-weight: 700; }
`;

const Because = styled.p`
  color: ${({ theme }) => theme.soft};
  overflow-wrap: anywhere;
`;

const Progress = styled.progress`
  width: 16rem;
  accent-color: ${({ theme }) => theme.verdigris};
`;

type Rehearsed = NonNullable<RehearsalAnswer["rehearsal"]>;

const isTold =
  (all: boolean) =>
  ({ verdict }: PlayedAnswer): boolean =>
    all || verdict === "otherwise" || verdict === "not judged";

function Counts({ counts }: { counts: Rehearsed["counts"] }) {
  return (
    <>
      {(Object.keys(verdictMark) as PlayedAnswer["verdict"][]).map((verdict) => (
        <Mark key={verdict} kind={counts[verdict] === 0 ? "quiet" : verdictMark[verdict]}>
          {figure(counts[verdict])} {verdictWord[verdict]}
        </Mark>
      ))}
    </>
  );
}

function Cases({
  cases,
  all = false,
  areOfPublished = false,
  chosen,
  onChoose,
}: {
  cases: readonly PlayedAnswer[];
  all?: boolean;
  /** Whether they are the published page's that the draft differs from: all of them do. */
  areOfPublished?: boolean;
  chosen: string | null;
  onChoose: (id: string) => void;
}) {
  const steps = [...new Set(cases.map(({ step }) => step))];
  return (
    <Scroll aria-label={areOfPublished ? "Cases that differ from the published page" : "Cases"}>
      <Table>
        {steps.map((step) => {
          const ofStep = cases.filter((each) => each.step === step);
          const shown = ofStep.filter(isTold(all || areOfPublished));
          const count = (verdict: PlayedAnswer["verdict"]): number =>
            ofStep.filter((each) => each.verdict === verdict).length;
          const told = (Object.keys(verdictMark) as PlayedAnswer["verdict"][]).flatMap((verdict) =>
            count(verdict) > 0 ? `${count(verdict)} ${verdictWord[verdict]}` : [],
          );
          return (
            <tbody key={step}>
              <tr>
                <Step>
                  {stepTitle[step]}
                  {!areOfPublished && <span>{told.join(", ")}</span>}
                </Step>
              </tr>
              {shown.map(({ id, title, verdict, because }) => (
                <tr key={id}>
                  {!areOfPublished && (
                    <td style={{ whiteSpace: "nowrap" }}>
                      <Mark kind={verdictMark[verdict]}>{verdictWord[verdict]}</Mark>
                    </td>
                  )}
                  <td>
                    <Case type="button" aria-pressed={chosen === id} onClick={() => onChoose(id)}>
                      {title}
                    </Case>
                    {because.length > 0 && <Because>{because[0]}</Because>}
                  </td>
                </tr>
              ))}
            </tbody>
          );
        })}
      </Table>
    </Scroll>
  );
}

const order: readonly PlayedAnswer["verdict"][] = ["otherwise", "not judged", "as expected", "left out"];

/** The cases of a rehearsal that goes on, as they come: those that failed first. */
function SoFar({ soFar: { all, played } }: { soFar: RehearsalAnswer["soFar"] }) {
  const differing = played.filter(isDiffering).length;
  const counts = Object.fromEntries(
    order.map((verdict) => [verdict, played.filter((each) => each.verdict === verdict && !isDiffering(each)).length]),
  ) as Rehearsed["counts"];
  const sorted = played.toSorted((a, b) => order.indexOf(a.verdict) - order.indexOf(b.verdict));
  return (
    <>
      <Top>
        <span>
          {figure(played.length)} of {figure(all)} cases so far
        </span>
        <Counts counts={counts} />
        {differing > 0 && <Mark kind="wait">{differs(differing)}</Mark>}
      </Top>
      <Scroll aria-label="Cases so far">
        <Table>
          <tbody>
            {sorted.map((each) => {
              const [mark, result] = resultOf(each);
              return (
                <tr key={each.id}>
                  <td style={{ whiteSpace: "nowrap", width: "1%" }}>
                    <Mark kind={mark}>{result}</Mark>
                  </td>
                  <td>
                    {each.title}
                    {each.because.length > 0 && <Because>{each.because[0]}</Because>}
                  </td>
                </tr>
              );
            })}
          </tbody>
        </Table>
      </Scroll>
    </>
  );
}

/** What the verdicts mean for publishing, and what could be done about those that say nothing. */
function Meaning({ counts }: { counts: Rehearsed["counts"] }) {
  const onPublish = useSession().data?.onPublish;
  return (
    <>
      {counts.otherwise > 0 && onPublish === "refuse" && (
        <p>
          <Mark kind="stop">Publishing is refused</Mark> until every case comes out as expected.
        </p>
      )}
      {counts.otherwise > 0 && onPublish === "warn" && (
        <p>
          <Mark kind="wait">Publishing warns of these cases.</Mark> Fix the page, or publish it as it is.
        </p>
      )}
      {counts["not judged"] > 0 && (
        <Because>
          Not judged: the stored rows or the people here don't allow the case to be set up. Add a record or an account
          that does, or run it on another database.
        </Because>
      )}
      {counts["left out"] > 0 && (
        <Because>Left out: the page has nothing that the case is about. There is nothing to do.</Because>
      )}
    </>
  );
}

function Result({ name, answer, rehearsal }: { name: string; answer: RehearsalAnswer; rehearsal: Rehearsed }) {
  const [search, set] = useFilters();
  const all = search.get("all") === "yes";
  const chosen = search.get("case");
  const detail = useRehearsedCase(name, chosen, answer.begun);
  return (
    <>
      <Top>
        <Counts counts={rehearsal.counts} />
        {rehearsal.changed.length > 0 && <Mark kind="wait">{differs(rehearsal.changed.length)}</Mark>}
        <CheckBox label="Show all cases" checked={all} onChange={(isAll) => set("all", isAll ? "yes" : "")} />
      </Top>
      <p>
        {rehearsal.cases.length} cases in {(rehearsal.ms / 1000).toFixed(1)} s, as {rehearsal.actor?.name ?? "nobody"},
        who may edit {rehearsal.records.editable} of the {rehearsal.records.lookedAt} records looked at. All rolled
        back.{" "}
        {answer.of.is === "published"
          ? "What is published, run at"
          : answer.of.revision === null
            ? "A draft, run at"
            : `Revision ${answer.of.revision} of the draft, run at`}{" "}
        <Moment at={rehearsal.at} />
      </p>
      <Meaning counts={rehearsal.counts} />
      {rehearsal.left.map((line) => (
        <Because key={line}>{line}</Because>
      ))}
      <Two>
        <div>
          {rehearsal.changed.length > 0 && (
            <section>
              <h2>Different from the published page</h2>
              <Because>
                What the published page does, and this draft does not. Where you meant the change, there is nothing to
                do.
              </Because>
              <Cases cases={rehearsal.changed} areOfPublished chosen={chosen} onChoose={(id) => set("case", id)} />
            </section>
          )}
          <h2>Cases by step</h2>
          {!all && rehearsal.counts.otherwise + rehearsal.counts["not judged"] === 0 && (
            <p>Every case that applies came out as expected.</p>
          )}
          <Cases cases={rehearsal.cases} all={all} chosen={chosen} onChoose={(id) => set("case", id)} />
        </div>
        <Beside>
          {chosen === null && (
            <Empty title="Select a case">
              Its requests, what they touched and what the log says of them are shown here.
            </Empty>
          )}
          {detail.error && <Failed error={detail.error} again={() => void detail.refetch()} />}
          {chosen !== null && detail.isPending && <Waiting height="20rem" what="Loading case" />}
          {detail.data && <CaseDetail page={name} played={detail.data} />}
        </Beside>
      </Two>
    </>
  );
}

/** Rehearsal of a page: its draft, or what is published, against many prepared requests. */
export default function RehearsalRoute() {
  const { name = "" } = useParams();
  const draft = useDraft(name);
  const rehearsal = useRehearsal(name);
  const queries = useQueryClient();
  const [refused, setRefused] = useState<Error>();
  useDocumentTitle(`Rehearsal of ${name}`);
  const path = `/drafts/${encodeURIComponent(name)}/rehearsal`;
  const send = async (method: "POST" | "DELETE", quick?: boolean): Promise<void> => {
    setRefused(undefined);
    try {
      const body = method === "POST" ? { body: { text: draft.text, quick } } : {};
      queries.setQueryData(["rehearsal", name], await ask<RehearsalAnswer>(path, { method, ...body }));
    } catch (error) {
      setRefused(error as Error);
    }
  };
  const answer = rehearsal.data;
  const isRunning = answer?.state === "running";
  // Not disabled: whoever has pressed the button keeps the focus.
  const isBusy = isRunning || draft.text === undefined;
  return (
    <English>
      <Top>
        <Title>Rehearsal of {name}</Title>
        <Link to={`/pages/${encodeURIComponent(name)}`}>Back to the Sheet</Link>
        <Strong aria-disabled={isBusy} onClick={() => !isBusy && void send("POST", true)}>
          Run quick set
        </Strong>
        <QuietButton aria-disabled={isBusy} onClick={() => !isBusy && void send("POST", false)}>
          Run whole set
        </QuietButton>
        {isRunning && (
          <span role="status">
            <Progress max={1} value={answer.done} aria-label="Progress" /> {Math.round(answer.done * 100)} %{" "}
            <QuietButton onClick={() => void send("DELETE")}>Cancel</QuietButton>
          </span>
        )}
      </Top>
      {refused && <Failed error={refused} again={() => setRefused(undefined)} />}
      {rehearsal.isPending && <Waiting height="50vh" what="Loading rehearsal" />}
      {rehearsal.error && <Failed error={rehearsal.error} again={() => void rehearsal.refetch()} />}
      {rehearsal.data === null && (
        <Empty title="Not rehearsed yet">
          A rehearsal sends the draft many prepared requests, with wrong keys, wrong people, stale forms and values just
          outside each rule, on the real table. Everything is rolled back.
        </Empty>
      )}
      {answer?.state === "cancelled" && <p>Rehearsal cancelled.</p>}
      {answer?.state === "failed" && (
        <p>
          <Mark kind="stop">Could not be rehearsed.</Mark> {answer.because}
        </p>
      )}
      {answer && answer.text !== draft.text && draft.text !== undefined && (
        <p>
          <Mark kind="wait">The page has been edited since this rehearsal: run it again.</Mark>
        </p>
      )}
      {answer?.state === "running" && answer.soFar.played.length > 0 && <SoFar soFar={answer.soFar} />}
      <Heard>
        {answer?.rehearsal &&
          `Rehearsal finished: ${answer.rehearsal.counts.otherwise} of ${answer.rehearsal.cases.length} cases are not as expected.${answer.rehearsal.changed.length > 0 ? ` ${differs(answer.rehearsal.changed.length)}.` : ""}`}
      </Heard>
      {answer?.rehearsal && <Result name={name} answer={answer} rehearsal={answer.rehearsal} />}
    </English>
  );
}
