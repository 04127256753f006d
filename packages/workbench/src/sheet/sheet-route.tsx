import { isSaving, type RecordedRequest } from "@loyal-quill/core";
import type { SheetAnswer } from "@loyal-quill/server/api";
import { useEffect, useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { styled } from "styled-components";
import { useAccounts, useRecords, useRequest, useRequests, useSheet, useTrial } from "../api/queries.js";
import { Choice } from "../parts/choice.js";
import { Empty, Failed, Waiting } from "../parts/states.js";
import { Title } from "../parts/title.js";
import { type ChosenStep, RoundTrip } from "../round-trip/round-trip.js";
import { stoppedAt } from "../round-trip/wording.js";
import { Findings } from "./findings.js";
import { RecordChoice } from "./record-choice.js";
import { SheetColumns } from "./sheet-columns.js";
import { StepDetail } from "./step-detail.js";

const Top = styled.div`
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: ${({ theme }) => `${theme.space(1)} ${theme.space(5)}`};
  > code { color: ${({ theme }) => theme.soft}; flex: 1; white-space: nowrap; overflow: hidden; text-overflow: ellipsis; }
`;

const sameKey = (a: readonly string[] | null | undefined, b: readonly string[] | null | undefined): boolean =>
  Boolean(a && b && a.length === b.length && a.every((part, index) => part === b[index]));

/** The key that the Sheet looks at: the one chosen, that of the chosen request, the last one asked for, or the first record. */
function useKey(
  name: string,
  search: URLSearchParams,
  asked: RecordedRequest | undefined,
): readonly string[] | undefined {
  const requests = useRequests({ page: name });
  const records = useRecords(name, "");
  const chosen = search.getAll("key");
  if (chosen.length > 0) return chosen;
  // A new record that was not made has no key: the Sheet shows another record below it.
  if (search.has("request") && (!asked || asked.key)) return asked?.key ?? undefined;
  const last = requests.data?.find((request) => request.key !== null && request.outcome !== "not-found");
  return last?.key ?? (requests.isSuccess ? records.data?.[0]?.key : undefined);
}

/** The Sheet of one page: the round trip on top, then table, real page and rules line by line, at the foot the chosen step. */
export default function SheetRoute() {
  const { name = "" } = useParams();
  const sheet = useSheet(name);
  useEffect(() => {
    document.title = `${sheet.data?.plural ?? name} · Loyal Quill`;
  }, [sheet.data?.plural, name]);
  if (sheet.isPending) return <Waiting height="80vh" what="Reading the page" />;
  if (sheet.error) {
    return (
      <>
        <Title>{name}</Title>
        <Failed error={sheet.error} again={() => void sheet.refetch()} />
      </>
    );
  }
  if (!sheet.data.version) return <Unsound sheet={sheet.data} />;
  return <Sheet name={name} sheet={sheet.data} />;
}

function Unsound({ sheet }: { sheet: SheetAnswer }) {
  return (
    <>
      <Top>
        <Title>{sheet.plural}</Title>
      </Top>
      <Empty title="This page is not served">
        Its file does not fit the table. It is served as soon as the file is put right; nothing has to be restarted.
      </Empty>
      <Findings findings={sheet.findings} text={sheet.text} />
    </>
  );
}

function Sheet({ name, sheet }: { name: string; sheet: SheetAnswer }) {
  const [search, setSearch] = useSearchParams();
  const [picked, setPicked] = useState<ChosenStep>();
  const requestId = search.get("request") ?? undefined;
  const as = search.get("as") ?? undefined;
  const asked = useRequest(requestId);
  const key = useKey(name, search, asked.data);
  const trial = useTrial(name, key, as);
  const saves = useRequests({ page: name, operation: "save" });
  const accounts = useAccounts();
  const saving = asked.data !== undefined && isSaving(asked.data.operation);
  const open = asked.data && !saving ? asked.data : trial.data?.recorded;
  const save = saving ? asked.data : saves.data?.find((request) => sameKey(request.key, key));
  const chosen = picked ?? firstStep(asked.data);
  const choose = (values: Record<string, readonly string[]>): void =>
    setSearch((before) => {
      const after = new URLSearchParams(before);
      after.delete("request");
      for (const [field, list] of Object.entries(values)) {
        after.delete(field);
        for (const value of list) if (value) after.append(field, value);
      }
      return after;
    });
  const eyes = trial.data?.recorded.actor;
  const people = (accounts.data ?? []).filter((account) => account.active);
  return (
    <>
      <Top>
        <Title>{sheet.plural}</Title>
        <code>
          {sheet.path} · {sheet.table}
        </code>
        <RecordChoice page={name} chosen={key} onChoose={(next) => choose({ key: next })} />
        <Choice
          label="Seen by"
          value={eyes?.id ?? ""}
          options={people.map((account) => ({ id: account.id, text: `${account.name}, ${account.roles.join(", ")}` }))}
          onChange={(id) => choose({ as: [id], ...(key ? { key } : {}) })}
        />
        {key && <Link to={`/changes?containing=${encodeURIComponent(key[0] ?? "")}`}>Its changes</Link>}
      </Top>
      {requestId && asked.error && <Failed error={asked.error} again={() => void asked.refetch()} />}
      <RoundTrip open={open} save={save} chosen={chosen} onChoose={setPicked} />
      <StepDetail request={chosen.half === "open" ? open : save} step={chosen.step} />
      {sheet.findings.length > 0 && <Findings findings={sheet.findings} text={sheet.text} />}
      {trial.error && <Failed error={trial.error} again={() => void trial.refetch()} />}
      {!key && !trial.data && <Empty title="No record yet">The table has no row, so there is nothing to open.</Empty>}
      {trial.data ? (
        <SheetColumns sheet={sheet} trial={trial.data} save={save} />
      ) : (
        key && !trial.error && <Waiting height="30rem" what="Opening the record" />
      )}
    </>
  );
}

/** The step that is looked at first: where a chosen request stopped, its write, or the load. */
function firstStep(asked: RecordedRequest | undefined): ChosenStep {
  const half = asked && isSaving(asked.operation) ? "save" : "open";
  const stop = asked && stoppedAt(asked);
  return { half, step: stop?.step ?? (half === "save" ? "write" : "load") };
}
