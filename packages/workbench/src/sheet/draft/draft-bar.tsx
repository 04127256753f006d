import { styled } from "styled-components";
import { useSession } from "../../api/queries.js";
import { focusAfter } from "../../parts/focus.js";
import { Small } from "../../parts/inputs.js";
import { Mark } from "../../parts/mark.js";
import { Moment } from "../../parts/moment.js";
import { Abandon, Publish, type PublishProps } from "./publish.js";
import type { EditedDraft } from "./use-draft.js";

const Bar = styled.div`
  display: flex;
  align-items: baseline;
  gap: ${({ theme }) => `${theme.space(1)} ${theme.space(4)}`};
  flex: 1 1 auto;
  min-width: 0;
  > span:first-child { flex: 1; min-width: 0; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
`;

function State({ draft }: { draft: EditedDraft }) {
  const { answer } = draft;
  const me = useSession().data?.name;
  if (draft.isSaving) return <Mark kind="wait">Saving draft…</Mark>;
  if (answer?.revision === 0 && answer.published === null) return <Mark kind="wait">No draft any more</Mark>;
  if (!answer || answer.revision === 0) return <Mark kind="good">Published, no draft</Mark>;
  return (
    <Mark kind="wait">
      {answer.published === null ? "Draft, not published yet" : "Draft"}, {answer.by !== me && `${answer.by}, `}
      {answer.at && <Moment at={answer.at} />}
    </Mark>
  );
}

/** What a step back or forth is called, and does. */
const told = (what: string, does: string | null, keys: string) => ({
  "aria-label": does === null ? what : `${what}: ${does}`,
  title: does === null ? keys : `${does} (${keys})`,
});

/** Draft or published, a step back or forth, publishing. */
export function DraftBar({ draft, sheet, isOpen, setOpen, onPublished }: PublishProps) {
  const { answer } = draft;
  const isDraft = (answer?.revision ?? 0) > 0;
  return (
    <Bar role="toolbar" aria-label="Draft">
      <span role="status">
        <State draft={draft} />
      </span>
      <Small
        type="button"
        aria-disabled={draft.undoes === null}
        onClick={draft.undo}
        {...told("Undo", draft.undoes, "Ctrl+Z")}
      >
        Undo
      </Small>
      <Small
        type="button"
        aria-disabled={draft.redoes === null}
        onClick={draft.redo}
        {...told("Redo", draft.redoes, "Ctrl+Shift+Z")}
      >
        Redo
      </Small>
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
      {isDraft && <Publish draft={draft} sheet={sheet} isOpen={isOpen} setOpen={setOpen} onPublished={onPublished} />}
    </Bar>
  );
}
