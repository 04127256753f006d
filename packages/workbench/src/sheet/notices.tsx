import { type Drift, editPageFile, placeInWords, renamedColumn, valueText } from "@loyal-quill/authoring";
import { isError } from "@loyal-quill/core";
import { Link } from "react-router";
import { styled } from "styled-components";
import { usePageFile, useSignedOut } from "../api/queries.js";
import { focusAfter } from "../parts/focus.js";
import { Small } from "../parts/inputs.js";
import { Mark } from "../parts/mark.js";
import { SignedOut } from "../parts/states.js";
import { Unfolded } from "../parts/unfolded.js";
import { Migration } from "./draft/migration.js";
import type { EditedDraft } from "./draft/use-draft.js";
import { Findings, repairLabel, useRepairKey } from "./editing/findings.js";
import type { Found } from "./editing/settings.js";

const Line = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: ${({ theme }) => `0 ${theme.space(4)}`};
  align-items: baseline;
  > [role="alert"] > span { white-space: normal; }
  li { display: flex; gap: ${({ theme }) => theme.space(3)}; flex-wrap: wrap; padding: ${({ theme }) => `${theme.space(0.5)} 0`}; }
`;

const counted = (count: number, one: string, many = `${one}s`): string => `${count} ${count === 1 ? one : many}`;

/** A proposal for the page, where there is one and it was not taken yet. */
function DriftRepair({ drift, draft }: { drift: Drift; draft: EditedDraft }) {
  const { repair } = drift;
  const text = draft.text ?? "";
  if (!repair) return null;
  const next = (): string => {
    try {
      return "rename" in repair
        ? renamedColumn(text, repair.rename.from, repair.rename.to)
        : editPageFile(text, repair.edits);
    } catch {
      return text;
    }
  };
  return next() === text ? null : (
    <Small type="button" onClick={() => draft.write(next(), repair.what)}>
      {repairLabel(repair)}
    </Small>
  );
}

function TableChanged({ drift, draft }: { drift: readonly Drift[]; draft: EditedDraft }) {
  return (
    <Unfolded kind="wait" what={`Table changed since publishing (${drift.length})`}>
      <ul>
        {drift.map((each) => (
          <li key={each.what}>
            <span>{each.what}</span>
            <DriftRepair drift={each} draft={draft} />
          </li>
        ))}
      </ul>
      <Migration title="table as it was" changes={drift.flatMap(({ change }) => (change ? [change] : []))} />
      <Small type="button" onClick={draft.note}>
        Dismiss, keep page unchanged
      </Small>
    </Unfolded>
  );
}

function FileChanged({ lines, draft }: { lines: readonly string[]; draft: EditedDraft }) {
  return (
    <Unfolded kind="wait" what={`File changed on disk since this draft was started (${lines.length})`}>
      <ul>
        {lines.map((line) => (
          <li key={line}>{line}</li>
        ))}
      </ul>
      <Small type="button" onClick={draft.bringIn}>
        {draft.answer?.published === null ? "Keep draft as a new page" : "Merge these changes into the draft"}
      </Small>
    </Unfolded>
  );
}

function Conflicts({ draft }: { draft: EditedDraft }) {
  const settings = usePageFile().data?.settings ?? { page: [], field: [] };
  const { conflicts } = draft;
  return (
    <Unfolded kind="wait" role="alert" what={`Someone else changed ${counted(conflicts.length, "same setting")}`}>
      <ul>
        {conflicts.map((conflict, index) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: two conflicts may be of one place
          <li key={index}>
            <span>
              {conflict.path.length === 0
                ? "the text (not valid YAML)"
                : `${placeInWords(conflict.path, settings)}: theirs ${valueText(conflict.theirs)}, yours ${valueText(conflict.mine)}`}
            </span>
            <Small type="button" onClick={() => draft.settle(conflict, true)}>
              Use mine
            </Small>
            <Small type="button" onClick={() => draft.settle(conflict, false)}>
              Keep theirs
            </Small>
          </li>
        ))}
      </ul>
    </Unfolded>
  );
}

const endings = {
  published: "has published this draft.",
  discarded: "has discarded this draft.",
  removed: "has removed the file of this page.",
} as const;

/** What somebody else has done to the draft that was worked on here. */
function EndedByOthers({ draft }: { draft: EditedDraft }) {
  if (draft.ended === null) return null;
  const { how, by } = draft.ended;
  const then = (does: () => void) => () => {
    does();
    focusAfter("[data-findings] button", '[role="toolbar"] button');
  };
  return (
    <span role="status">
      <Mark kind="wait">
        {by ?? "Somebody else"} {endings[how]}
      </Mark>{" "}
      {how !== "published" && (
        <Small type="button" onClick={then(draft.bringBack)}>
          Bring it back
        </Small>
      )}{" "}
      <Small type="button" onClick={then(draft.dismiss)}>
        Dismiss
      </Small>
    </span>
  );
}

interface NoticesProps {
  readonly draft: EditedDraft;
  readonly found: readonly Found[];
  readonly text: string;
  /** What could not be had: the trial, or the request that was asked for. */
  readonly failures: readonly { readonly error: Error; readonly again: () => void }[];
  /** Whether the form of a new record is shown, since there is none. */
  readonly isEmpty: boolean;
  /** Where the page is served that was published just now; null where none was. */
  readonly servedAt: string | null;
  readonly onGo: (found: Found) => void;
}

/** All that is to be said of the draft, a few words each with its number; the rest opens over the page. */
export function Notices({ draft, found, text, failures, isEmpty, servedAt, onGo }: NoticesProps) {
  const { answer, conflicts, complaint } = draft;
  const isOut = useSignedOut();
  useRepairKey({ found, text, onRepair: draft.write });
  const errors = found.filter(({ finding }) => isError(finding)).length;
  const warnings = found.length - errors;
  const numbers = [
    ...(errors > 0 ? [counted(errors, "error")] : []),
    ...(warnings > 0 ? [counted(warnings, "warning")] : []),
  ].join(", ");
  return (
    <Line data-findings="">
      {isOut && <SignedOut left="Your last changes are kept in this window only." />}
      {complaint && !isOut && (
        <span role="alert">
          <Mark kind="stop">{complaint}</Mark>
        </span>
      )}
      {(isOut ? [] : failures).map(({ error, again }) => (
        <span key={error.message} role="alert">
          <Mark kind="stop">{error.message}</Mark>{" "}
          <Small type="button" onClick={again}>
            Try again
          </Small>
        </span>
      ))}
      <EndedByOthers draft={draft} />
      {conflicts.length > 0 && <Conflicts draft={draft} />}
      {answer && answer.drift.length > 0 && <TableChanged drift={answer.drift} draft={draft} />}
      {answer?.fileChanged && <FileChanged lines={answer.fileChanged} draft={draft} />}
      {numbers !== "" && (
        <Unfolded kind={errors > 0 ? "stop" : "wait"} what={numbers}>
          {(close) => (
            <Findings
              found={found}
              text={text}
              onRepair={draft.write}
              onGo={(each) => {
                close();
                onGo(each);
              }}
            />
          )}
        </Unfolded>
      )}
      {servedAt !== null && (
        <>
          <span role="status">
            <Mark kind="good">
              Served at <a href={servedAt}>{servedAt}</a>
            </Mark>
          </span>
          <Link to="/people?person=new">Add a person</Link>
          <Link to="/database">Create another page</Link>
        </>
      )}
      {isEmpty && <span role="status">The table is empty: this is the form for a new record.</span>}
    </Line>
  );
}
