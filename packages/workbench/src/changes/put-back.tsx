import type { PutBackAnswer, PutBackRecord } from "@loyal-quill/server/api";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { Label, ProgressBar } from "react-aria-components";
import { styled } from "styled-components";
import { ask } from "../api/client.js";
import { askAnew } from "../api/made-of.js";
import { figure } from "../parts/figures.js";
import { CheckBox, TextLine } from "../parts/inputs.js";
import { Mark } from "../parts/mark.js";
import { Question } from "../parts/question.js";
import { Failed, QuietButton, Strong, Waiting } from "../parts/states.js";
import { keyText } from "./record-link.js";
import { ValueChange } from "./value-change.js";

const barredText = {
  "not-on-page": "not a field of its page, so it stays",
  "read-only": "read-only on its page, so it stays",
  file: "a file, so it stays",
};
const states = {
  "put-back": "put back",
  "in-part": "put back in part",
  nothing: "nothing to do",
  conflict: "left as it is, changed since",
  "no-page": "no page for it",
  refused: "refused",
};

/** The entries that are put back; of one entry perhaps only some fields. */
export interface PutBackAsked {
  readonly entries: readonly string[];
  readonly fields?: readonly string[];
  /** Whether there are more that match than can be put back at once. */
  readonly isPart?: boolean;
}

const Records = styled.ul`
  && { list-style: none; margin: ${({ theme }) => `${theme.space(3)} 0`}; }
  padding: 0;
  > li { border-top: 1px solid ${({ theme }) => theme.rule}; padding: ${({ theme }) => `${theme.space(2)} 0`}; }
  h3 { margin: 0; }
`;

const Soft = styled.span`
  color: ${({ theme }) => theme.soft};
  font-weight: 400;
`;

const Wrapped = styled.p`
  && { margin: 0; }
  overflow-wrap: anywhere;
`;

const Progress = styled(ProgressBar)`
  display: block;
  margin: ${({ theme }) => `${theme.space(3)} 0`};
  .track { height: 4px; background: ${({ theme }) => theme.rule}; }
  .fill { height: 4px; background: ${({ theme }) => theme.verdigris}; }
`;

/** So many records are put back with one request. */
const atOnce = 25;

/** So many entries are looked at before; those beyond are put back in the same way, unseen. */
const mostLookedAt = 200;

const short = (text: string): string => (text.length > 60 ? `${text.slice(0, 60)}…` : text);

/** Whether anything of a record can be done, with or without what was changed since. */
const isDoable = ({ page, isOpen, does, stands, fields }: PutBackRecord, despite: boolean): boolean =>
  page !== null &&
  isOpen &&
  does !== "nothing" &&
  (stands === "as-left" || (despite && stands === "changed-since")) &&
  (does !== "change" || fields.some(({ isConflict, barred }) => barred === null && (despite || !isConflict)));

function standing({ page, isOpen, does, stands, fields }: PutBackRecord): string | null {
  if (page === null) return "No page is served for this table and key, so it can't be put back here.";
  if (!isOpen) return `You have no access to its page, ${page}.`;
  if (stands === "gone") return "The record is gone.";
  if (stands === "there") return "There is a record with this key again.";
  if (stands === "changed-since") return "The record was changed since it was made.";
  if (does === "nothing") return "Already has these values.";
  return fields.length > 0 && fields.every(({ barred }) => barred !== null)
    ? "Its page takes none of these fields."
    : null;
}

function RecordPlan({ record, despite }: { record: PutBackRecord; despite: boolean }) {
  const { table, key, does, fields, untold } = record;
  const why = standing(record);
  return (
    <li>
      <h3>
        <code>{keyText(key)}</code> <Soft>{table}</Soft>
      </h3>
      {does === "new" && <Mark kind="good">Will be recreated</Mark>}
      {does === "delete" && <Mark kind="stop">Will be deleted, since it was new</Mark>}
      {does !== "delete" &&
        fields.map(({ field, label, now, left, becomes, isConflict, barred }) => (
          <div key={field}>
            <ValueChange field={label} before={now} after={becomes} untold={null} />
            {isConflict && (
              <Wrapped>
                <Mark kind="wait">{despite ? "others changed it since" : "others changed it since, so it stays"}</Mark>{" "}
                <Soft>these changes left: {short(left ?? "null")}</Soft>
              </Wrapped>
            )}
            {barred && <Mark kind="stop">{barredText[barred]}</Mark>}
          </div>
        ))}
      {untold.length > 0 && <p>The log does not have the values of {untold.join(", ")}.</p>}
      {why && <p>{why}</p>}
    </li>
  );
}

const markOf = {
  "put-back": "good",
  "in-part": "wait",
  refused: "stop",
  nothing: "quiet",
  conflict: "quiet",
  "no-page": "quiet",
} as const;

const chunks = <Item,>(items: readonly Item[], size: number): readonly (readonly Item[])[] =>
  Array.from({ length: Math.ceil(items.length / size) }, (_, index) => items.slice(index * size, (index + 1) * size));

function Came({ answer, all }: { answer: PutBackAnswer; all: number }) {
  const done = answer.records.filter(({ state }) => state === "put-back" || state === "in-part").length;
  return (
    <>
      <p role="status">
        {figure(done)} of {figure(all)} records put back.{" "}
        {done < all && (done === 0 ? "Nothing was changed." : "The others stay as they are.")}
      </p>
      <Records>
        {answer.records.slice(0, mostLookedAt).map(({ table, key, state, said, entry, wrote }) => (
          <li key={`${table} ${keyText(key)}`}>
            <code>{keyText(key)}</code> <Mark kind={markOf[state]}>{states[state]}</Mark>{" "}
            {entry && <Soft>entry {entry}</Soft>} {said.join(" ")}
            {wrote.map(({ field, label, old, new: now, hidden }) => (
              <ValueChange key={field} field={label} before={old} after={now} untold={hidden ? "hidden" : null} />
            ))}
          </li>
        ))}
      </Records>
    </>
  );
}

/** What putting changes back comes to, shown before it is done; and what came of it. */
export function PutBack({ asked, onClose }: { asked: PutBackAsked; onClose: (isDone: boolean) => void }) {
  const { entries, fields, isPart = false } = asked;
  const queries = useQueryClient();
  const [reason, setReason] = useState("");
  const [despite, setDespite] = useState(false);
  const [seen, unseen] = [entries.slice(0, mostLookedAt), entries.slice(mostLookedAt)];
  const body = { entries: seen, ...(fields ? { fields } : {}) };
  const plan = useQuery({
    queryKey: ["put-back", entries, fields],
    queryFn: ({ signal }) =>
      ask<{ records: readonly PutBackRecord[] }>("/changes/put-back/plan", { method: "POST", body, signal }),
    staleTime: 0,
    gcTime: 0,
  });
  const records = plan.data?.records ?? [];
  const [came, setCame] = useState<PutBackAnswer["records"]>([]);
  const isStopped = useRef(false);
  const turns = useRef(0);
  const parts = [...records.map((record) => record.entries), ...unseen.map((id) => [id])];
  const put = useMutation({
    // Part by part, so that it is seen how far it is, and can be stopped between two: each record is saved by itself.
    mutationFn: async (): Promise<PutBackAnswer> => {
      isStopped.current = false;
      let done: PutBackAnswer["records"] = came;
      for (const part of chunks(parts, atOnce).slice(turns.current)) {
        if (isStopped.current) break;
        const answer = await ask<PutBackAnswer>("/changes/put-back", {
          method: "POST",
          body: { ...body, entries: part.flat(), reason: reason.trim() || null, despite },
        });
        done = [...done, ...answer.records];
        setCame(done);
        turns.current += 1;
      }
      return { records: done };
    },
    onSettled: () => askAnew(queries, "rows"),
  });
  const doable = records.filter((record) => isDoable(record, despite)).length + unseen.length;
  const hasConflicts = records.some(
    ({ fields: each, stands, does }) =>
      stands === "changed-since" || (does === "change" && each.some(({ isConflict }) => isConflict)),
  );
  return (
    <Question title="Put changes back" role="alertdialog" onClose={() => onClose(put.isSuccess)}>
      {plan.isPending && <Waiting height="8rem" what="Looking at the records as they are now" />}
      {plan.error && <Failed error={plan.error} again={() => void plan.refetch()} />}
      {plan.data && !put.data && (
        <>
          <p>
            Each record is saved through its page, with your access and the page's rules. The log keeps it as a change
            of yours that refers to these.
          </p>
          {records.length > 1 && (
            <p>Records are put back one by one: if one is refused, the others are still put back.</p>
          )}
          {isPart && (
            <p>More changes match than can be put back at once: these are the newest {figure(entries.length)}.</p>
          )}
          <Records>
            {records.map((record) => (
              <RecordPlan key={`${record.table} ${keyText(record.key)}`} record={record} despite={despite} />
            ))}
          </Records>
          {unseen.length > 0 && (
            <p>{figure(unseen.length)} more are put back in the same way, and are not shown here.</p>
          )}
          {hasConflicts && (
            <CheckBox label="Also put back what was changed since" checked={despite} onChange={setDespite} />
          )}
          <TextLine label="Reason" value={reason} onChange={setReason} />
          {put.error && <Failed error={put.error} again={() => put.mutate()} />}
          {put.isPending && parts.length > atOnce && (
            <Progress
              value={came.length}
              maxValue={parts.length}
              valueLabel={`${figure(came.length)} of ${figure(parts.length)} records`}
            >
              {({ percentage = 0, valueText }) => (
                <>
                  <Label>Putting back…</Label> {valueText}
                  <div className="track">
                    <div className="fill" style={{ width: `${percentage}%` }} />
                  </div>
                </>
              )}
            </Progress>
          )}
        </>
      )}
      {put.data && <Came answer={put.data} all={parts.length} />}
      <footer>
        {!put.data && (
          <Strong disabled={doable === 0} $busy={put.isPending} onClick={() => put.mutate()}>
            {put.isPending ? "Putting back…" : doable === 1 ? "Restore 1 record" : `Restore ${figure(doable)} records`}
          </Strong>
        )}
        {put.isPending && parts.length > atOnce ? (
          <QuietButton
            onClick={() => {
              isStopped.current = true;
            }}
          >
            Stop
          </QuietButton>
        ) : (
          <QuietButton onClick={() => onClose(put.isSuccess || came.length > 0)}>
            {put.data ? "Close" : "Cancel"}
          </QuietButton>
        )}
      </footer>
    </Question>
  );
}
