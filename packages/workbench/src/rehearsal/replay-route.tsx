import { isSaving } from "@loyal-quill/core";
import type { ReplayAnswer } from "@loyal-quill/server/api";
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, useLocation, useParams } from "react-router";
import { styled } from "styled-components";
import { ask } from "../api/client.js";
import { useReplay, useReplayed } from "../api/queries.js";
import { Choice } from "../parts/choice.js";
import { English } from "../parts/english.js";
import { figure } from "../parts/figures.js";
import { CheckBox, Small } from "../parts/inputs.js";
import { Mark, type MarkKind } from "../parts/mark.js";
import { Moment } from "../parts/moment.js";
import { Empty, Failed, QuietButton, Strong, Waiting } from "../parts/states.js";
import { Head, Scroll, Table } from "../parts/table.js";
import { Title } from "../parts/title.js";
import { type ChosenStep, RoundTrip } from "../round-trip/round-trip.js";
import { stepTitle } from "../round-trip/wording.js";
import { Recorded } from "../sheet/step-detail.js";
import { useDraft } from "../sheet/use-draft.js";
import { texts } from "../texts.js";

const says = texts.replayRoute;

const Top = styled.div`
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: ${({ theme }) => `${theme.space(2)} ${theme.space(5)}`};
  margin-bottom: ${({ theme }) => theme.space(2)};
`;

const Group = styled.th.attrs({ colSpan: 5, scope: "colgroup" })`
  && { padding-top: ${({ theme }) => theme.space(4)}; font-weight: 700; }
  span { font-weight: 400; color: ${({ theme }) => theme.soft}; margin-left: ${({ theme }) => theme.space(3)}; }
`;

type Replayed = NonNullable<ReplayAnswer["played"]>[number];

const marks: Readonly<Record<Replayed["kind"], MarkKind>> = {
  "would be refused": "stop",
  "would not be shown": "stop",
  "refused otherwise": "wait",
  "would be saved": "good",
  "would be shown": "good",
  "the same": "quiet",
  "left out": "quiet",
};

const order = Object.keys(marks) as Replayed["kind"][];

const endingInWords = (ending: Replayed["before"] | null): string =>
  ending === null
    ? "–"
    : [
        ending.outcome,
        ending.stoppedAt === null ? "" : stepTitle[ending.stoppedAt as keyof typeof stepTitle],
        ending.reason ?? "",
      ]
        .filter(Boolean)
        .join(", ");

/** The requests by what became of them, and of those by the reason, the most first. */
function groupsOf(played: readonly Replayed[]): { kind: Replayed["kind"]; reason: string; requests: Replayed[] }[] {
  const groups = new Map<string, { kind: Replayed["kind"]; reason: string; requests: Replayed[] }>();
  for (const each of played) {
    const reason =
      each.kind === "left out"
        ? (each.because ?? "")
        : each.kind === "the same"
          ? ""
          : (each.after?.reason ?? each.before.reason ?? "");
    const group = groups.get(`${each.kind}\n${reason}`) ?? { kind: each.kind, reason, requests: [] };
    group.requests.push(each);
    groups.set(`${each.kind}\n${reason}`, group);
  }
  return [...groups.values()].toSorted(
    (a, b) => order.indexOf(a.kind) - order.indexOf(b.kind) || b.requests.length - a.requests.length,
  );
}

/** How one of them went on the draft: its way, drawn. */
function OnTheDraft({ name, id, begun, onClose }: { name: string; id: string; begun: string; onClose: () => void }) {
  const replayed = useReplayed(name, id, begun);
  const [chosen, choose] = useState<ChosenStep>();
  const recorded = replayed.data?.recorded;
  if (replayed.error) return <Failed error={replayed.error} again={() => void replayed.refetch()} />;
  if (!recorded) return null;
  const saves = isSaving(recorded.operation);
  const step = recorded.steps.find((each) => each.step === chosen?.step);
  return (
    <section aria-label={says.wayOnTheDraft}>
      <p>
        {says.wayOnTheDraft}{" "}
        <code>
          {recorded.method} {recorded.path}
        </code>{" "}
        <Small type="button" onClick={onClose}>
          {says.close}
        </Small>
      </p>
      <RoundTrip
        open={saves ? undefined : recorded}
        save={saves ? recorded : undefined}
        chosen={chosen}
        onChoose={choose}
      />
      {step && <Recorded step={step} />}
    </section>
  );
}

function Played({ name, begun, played }: { name: string; begun: string; played: readonly Replayed[] }) {
  const groups = groupsOf(played);
  const [opened, open] = useState<string>();
  return (
    <>
      {opened !== undefined && (
        <OnTheDraft key={opened} name={name} id={opened} begun={begun} onClose={() => open(undefined)} />
      )}
      <Top role="status">
        {order.map((kind) => {
          const count = played.filter((each) => each.kind === kind).length;
          return count === 0 ? null : (
            <Mark key={kind} kind={marks[kind]}>
              {figure(count)} {says.kinds[kind]}
            </Mark>
          );
        })}
      </Top>
      <Scroll aria-label={says.beforeAndAfter}>
        <Table>
          <Head columns={[says.when, says.who, says.request, says.before, says.onTheDraft]} />
          {groups.map(({ kind, reason, requests }) => (
            <tbody key={`${kind} ${reason}`}>
              <tr>
                <Group>
                  <Mark kind={marks[kind]}>{says.kinds[kind]}</Mark>
                  <span>
                    {figure(requests.length)}
                    {reason && `: ${reason}`}
                  </span>
                </Group>
              </tr>
              {requests.slice(0, 100).map((each) => (
                <tr key={each.id}>
                  <td>
                    <Moment at={each.at} />
                  </td>
                  <td style={{ whiteSpace: "nowrap" }}>{each.actor ?? says.nobody}</td>
                  <td>
                    <Link to={`/requests/${each.id}`}>
                      <code>
                        {each.method} {each.path}
                      </code>
                    </Link>
                  </td>
                  <td>{endingInWords(each.before)}</td>
                  <td>
                    {each.after === null ? each.because : endingInWords(each.after)}
                    {each.after !== null && (
                      <>
                        {" "}
                        <Small
                          type="button"
                          aria-label={says.showWayOf(each.method, each.path)}
                          onClick={() => open(each.id)}
                        >
                          {says.showWay}
                        </Small>
                      </>
                    )}
                    {each.row === "then" && ` (${says.rowPutBack(each.putBack.join(", "))})`}
                  </td>
                </tr>
              ))}
              {requests.length > 100 && (
                <tr>
                  <td colSpan={5}>{says.andMore(figure(requests.length - 100))}</td>
                </tr>
              )}
            </tbody>
          ))}
        </Table>
      </Scroll>
    </>
  );
}

/** Recorded requests, played again on the draft: what yesterday's people would have met. */
export default function ReplayRoute() {
  const { name = "" } = useParams();
  const { state } = useLocation() as { state: { readonly ids?: readonly string[] } | null };
  const ids = state?.ids;
  const draft = useDraft(name);
  const replay = useReplay(name);
  const queries = useQueryClient();
  const [which, setWhich] = useState(ids ? "chosen" : "refusals");
  const [days, setDays] = useState("7");
  const [rowsThen, setRowsThen] = useState(true);
  const [refused, setRefused] = useState<Error>();
  useEffect(() => {
    document.title = texts.documentTitle(says.playedAgain(name));
  }, [name]);
  const send = async (method: "POST" | "DELETE"): Promise<void> => {
    setRefused(undefined);
    const query: Record<string, string> = {
      days,
      ...(which === "refusals" ? { outcome: "refusals" } : which === "saves" ? { outcome: "saved" } : {}),
    };
    const asked = which === "chosen" && ids ? { ids } : { query };
    try {
      const body = method === "POST" ? { body: { text: draft.text, rowsThen, ...asked } } : {};
      const path = `/drafts/${encodeURIComponent(name)}/replay`;
      queries.setQueryData(["replay", name], await ask<ReplayAnswer>(path, { method, ...body }));
    } catch (error) {
      setRefused(error as Error);
    }
  };
  const answer = replay.data;
  const isRunning = answer?.state === "running";
  return (
    <English>
      <Top>
        <Title>{says.playedAgain(name)}</Title>
        <Link to={`/pages/${encodeURIComponent(name)}`}>{says.backToTheSheet}</Link>
        <Choice
          label={says.which}
          value={which}
          options={[
            ...(ids ? [{ id: "chosen", text: says.theChosen(ids.length) }] : []),
            { id: "refusals", text: says.allRefusals },
            { id: "saves", text: says.allSaved },
            { id: "all", text: says.allRequests },
          ]}
          onChange={setWhich}
        />
        {which !== "chosen" && (
          <Choice
            label={says.ofTheLast}
            value={days}
            options={[
              { id: "1", text: says.day },
              { id: "7", text: says.week },
              { id: "30", text: says.thirtyDays },
            ]}
            onChange={setDays}
          />
        )}
        <CheckBox label={says.rowsAsTheyWere} checked={rowsThen} onChange={setRowsThen} />
        <Strong disabled={isRunning || draft.text === undefined} onClick={() => void send("POST")}>
          {says.playAgain}
        </Strong>
        {isRunning && (
          <span role="status">
            <progress max={1} value={answer.done} aria-label={says.progress} />{" "}
            {says.doneOf(Math.round(answer.done * answer.asked), answer.asked)}{" "}
            <QuietButton onClick={() => void send("DELETE")}>{says.cancel}</QuietButton>
          </span>
        )}
      </Top>
      {refused && <Failed error={refused} again={() => setRefused(undefined)} />}
      {replay.isPending && <Waiting height="50vh" what={says.loading} />}
      {replay.error && <Failed error={replay.error} again={() => void replay.refetch()} />}
      {replay.data === null && <Empty title={says.nothingYet}>{says.whatItDoes}</Empty>}
      {answer?.state === "cancelled" && <p>{says.cancelled}</p>}
      {answer?.state === "failed" && (
        <p>
          <Mark kind="stop">{says.failed}</Mark> {answer.because}
        </p>
      )}
      {answer?.played?.length === 0 && <p>{says.noneFound}</p>}
      {answer?.played && answer.played.length > 0 && <Played name={name} begun={answer.begun} played={answer.played} />}
    </English>
  );
}
