import { isSaving } from "@loyal-quill/core";
import type { ReplayAnswer } from "@loyal-quill/server/api";
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
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
import { Title, useDocumentTitle } from "../parts/title.js";
import { useZone } from "../parts/zone.js";
import { type ChosenStep, RoundTrip } from "../round-trip/round-trip.js";
import { stepTitle } from "../round-trip/wording.js";
import { useDraft } from "../sheet/draft/use-draft.js";
import { Recorded } from "../sheet/step-detail.js";

const kinds = {
  "would be refused": "would be refused",
  "would not be shown": "would not be shown",
  "refused otherwise": "refused differently",
  "would be saved": "would now be saved",
  "would be shown": "would now be shown",
  "the same": "same result",
  "left out": "left out",
};

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
    <section aria-label="On the draft:">
      <p>
        On the draft:{" "}
        <code>
          {recorded.method} {recorded.path}
        </code>{" "}
        <Small type="button" onClick={onClose}>
          close
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
  const zone = useZone();
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
              {figure(count)} {kinds[kind]}
            </Mark>
          );
        })}
      </Top>
      <Scroll aria-label="Before and after">
        <Table>
          <Head columns={[`When (${zone})`, "Who", "Request", "Before", "On the draft"]} />
          {groups.map(({ kind, reason, requests }) => (
            <tbody key={`${kind} ${reason}`}>
              <tr>
                <Group>
                  <Mark kind={marks[kind]}>{kinds[kind]}</Mark>
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
                  <td style={{ whiteSpace: "nowrap" }}>{each.actor ?? "not signed in"}</td>
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
                          aria-label={`Show steps of ${each.method} ${each.path} on the draft`}
                          onClick={() => open(each.id)}
                        >
                          Show steps
                        </Small>
                      </>
                    )}
                    {each.row === "then" && ` (${`row put back: ${each.putBack.join(", ")}`})`}
                  </td>
                </tr>
              ))}
              {requests.length > 100 && (
                <tr>
                  <td colSpan={5}>and {figure(requests.length - 100)} more</td>
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
  useDocumentTitle(`Replay on the draft of ${name}`);
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
        <Title>Replay on the draft of {name}</Title>
        <Link to={`/pages/${encodeURIComponent(name)}`}>Back to the Sheet</Link>
        <Choice
          label="Which"
          value={which}
          options={[
            ...(ids
              ? [
                  {
                    id: "chosen",
                    text: ids.length === 1 ? "the selected request" : `the ${ids.length} selected requests`,
                  },
                ]
              : []),
            { id: "refusals", text: "All rejected" },
            { id: "saves", text: "all that were saved" },
            { id: "all", text: "all" },
          ]}
          onChange={setWhich}
        />
        {which !== "chosen" && (
          <Choice
            label="Of the last"
            value={days}
            options={[
              { id: "1", text: "day" },
              { id: "7", text: "7 days" },
              { id: "30", text: "30 days" },
            ]}
            onChange={setDays}
          />
        )}
        <CheckBox label="Rows as they were then" checked={rowsThen} onChange={setRowsThen} />
        <Strong $busy={isRunning || draft.text === undefined} onClick={() => void send("POST")}>
          Replay
        </Strong>
        {isRunning && (
          <span role="status">
            <progress max={1} value={answer.done} aria-label="Progress" /> {Math.round(answer.done * answer.asked)} of{" "}
            {answer.asked} <QuietButton onClick={() => void send("DELETE")}>Cancel</QuietButton>
          </span>
        )}
      </Top>
      {refused && <Failed error={refused} again={() => setRefused(undefined)} />}
      {replay.isPending && <Waiting height="50vh" what="Loading" />}
      {replay.error && <Failed error={replay.error} again={() => void replay.refetch()} />}
      {replay.data === null && (
        <Empty title="Nothing replayed yet">
          Recorded requests are sent to the draft again, by the same people, and rolled back: so you see before
          publishing what they would have met.
        </Empty>
      )}
      {answer?.state === "cancelled" && <p>Replay cancelled.</p>}
      {answer?.state === "failed" && (
        <p>
          <Mark kind="stop">Could not be replayed.</Mark> {answer.because}
        </p>
      )}
      {answer?.played?.length === 0 && <p>No such request was recorded.</p>}
      {answer?.played && answer.played.length > 0 && <Played name={name} begun={answer.begun} played={answer.played} />}
    </English>
  );
}
