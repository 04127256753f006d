import { type Drift, editPageFile, placeInWords, renamedColumn, valueText } from "@loyal-quill/authoring";
import { styled } from "styled-components";
import { usePageFile } from "../api/queries.js";
import { focusAfter } from "../parts/focus.js";
import { Small } from "../parts/inputs.js";
import { Mark } from "../parts/mark.js";
import { Moment } from "../parts/moment.js";
import { Migration } from "./migration.js";
import { Abandon, Publish, type PublishProps } from "./publish.js";
import type { EditedDraft } from "./use-draft.js";

const Bar = styled.div`
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: ${({ theme }) => `${theme.space(1)} ${theme.space(4)}`};
  flex: 1 1 auto;
  > span[data-wide] { flex: 1; }
`;

const Notice = styled.div`
  padding: ${({ theme }) => `${theme.space(1.5)} 0`};
  border-bottom: 1px solid ${({ theme }) => theme.rule};
  ul { margin: ${({ theme }) => `${theme.space(1)} 0 ${theme.space(1)} ${theme.space(4)}`}; }
  li { display: flex; gap: ${({ theme }) => theme.space(3)}; flex-wrap: wrap; }
`;

function State({ draft }: { draft: EditedDraft }) {
  const { answer } = draft;
  if (draft.isSaving) return <Mark kind="wait">Saving draft…</Mark>;
  if (!answer || answer.revision === 0) return <Mark kind="good">Published, no draft</Mark>;
  return (
    <Mark kind="wait">
      {answer.published === null ? "Draft, not published yet" : "Draft"}, {answer.by},{" "}
      {answer.at && <Moment at={answer.at} />}
    </Mark>
  );
}

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
      {repair.what}
    </Small>
  );
}

/** Draft or published, a step back or forth, publishing. */
export function DraftBar({ draft, sheet, isOpen, setOpen }: PublishProps) {
  const { answer } = draft;
  const isDraft = (answer?.revision ?? 0) > 0;
  const errors = sheet.findings.filter((finding) => finding.severity === "error").length;
  return (
    <Bar role="toolbar" aria-label="Draft">
      <span role="status">
        <State draft={draft} />
      </span>
      <Small type="button" disabled={draft.undoes === null} onClick={draft.undo} title="Ctrl+Z">
        Undo
        {draft.undoes ? `: ${draft.undoes}` : ""}
      </Small>
      <Small type="button" disabled={draft.redoes === null} onClick={draft.redo} title="Ctrl+Shift+Z">
        Redo
        {draft.redoes ? `: ${draft.redoes}` : ""}
      </Small>
      <span data-wide="">
        {errors > 0 && <Mark kind="stop">{errors === 1 ? "1 error" : `${errors} errors`}: fix before publishing</Mark>}
      </span>
      {isDraft && answer?.published !== null && (
        <Small
          type="button"
          onClick={() => {
            draft.discard();
            setTimeout(focusAfter, 500);
          }}
        >
          Discard draft
        </Small>
      )}
      {isDraft && answer?.published === null && <Abandon draft={draft} sheet={sheet} />}
      {isDraft && <Publish draft={draft} sheet={sheet} isOpen={isOpen} setOpen={setOpen} />}
    </Bar>
  );
}

/** What is to be said of the draft: that it isn't saved, what the table or the file did meanwhile, and what others did. */
export function DraftNotices({ draft }: { draft: EditedDraft }) {
  const { answer, conflicts, complaint } = draft;
  const settings = usePageFile().data?.settings ?? { page: [], field: [] };
  return (
    <>
      {complaint && (
        <Notice role="alert">
          <Mark kind="stop">{complaint}</Mark>
        </Notice>
      )}
      {answer && answer.drift.length > 0 && (
        <Notice role="status">
          <Mark kind="wait">The table has changed since this page was published:</Mark>
          <ul>
            {answer.drift.map((drift) => (
              <li key={drift.what}>
                <span>{drift.what}</span>
                <DriftRepair drift={drift} draft={draft} />
              </li>
            ))}
          </ul>
          <Migration title="table as it was" changes={answer.drift.flatMap(({ change }) => (change ? [change] : []))} />
          <Small type="button" onClick={draft.note}>
            Dismiss, keep page unchanged
          </Small>
        </Notice>
      )}
      {answer?.fileChanged && (
        <Notice role="status">
          <Mark kind="wait">The file has changed on disk since this draft was started:</Mark>
          <ul>
            {answer.fileChanged.map((line) => (
              <li key={line}>{line}</li>
            ))}
          </ul>
          <Small type="button" onClick={draft.bringIn}>
            {answer.published === null ? "Keep draft as a new page" : "Merge these changes into the draft"}
          </Small>
        </Notice>
      )}
      {conflicts.length > 0 && (
        <Notice role="alert">
          <Mark kind="wait">Someone else changed the same setting:</Mark>
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
        </Notice>
      )}
    </>
  );
}
