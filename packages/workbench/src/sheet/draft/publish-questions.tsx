import type { SheetAnswer } from "@loyal-quill/server/api";
import { useState } from "react";
import { useNavigate } from "react-router";
import { useEffects, useSession, useSignedOut } from "../../api/queries.js";
import { focusAfter } from "../../parts/focus.js";
import { CheckBox } from "../../parts/inputs.js";
import { Mark } from "../../parts/mark.js";
import { Question } from "../../parts/question.js";
import { QuietButton, SignedOut, Strong } from "../../parts/states.js";
import { QuickRehearsal } from "./quick-rehearsal.js";
import type { EditedDraft } from "./use-draft.js";

interface DraftQuestionProps {
  readonly draft: EditedDraft;
  readonly sheet: SheetAnswer;
  readonly onClose: () => void;
}

/** For whom it changes what they may do. */
function Effects({ page, revision }: { page: string; revision: number }) {
  const effects = useEffects(page, revision);
  if (effects.isPending) return <p>Checking who is affected…</p>;
  if (effects.error) return <p>Couldn't determine who is affected: {effects.error.message}</p>;
  if (effects.data.length === 0) return <p>Nobody can see or edit different records than before.</p>;
  return (
    <>
      <p>For these people:</p>
      <ul>
        {effects.data.map(({ name, lines }) => (
          <li key={name}>
            {name}: {lines.join(", ")}
          </li>
        ))}
      </ul>
    </>
  );
}

/** Why it could not be done. */
function Complaint({ draft }: Pick<DraftQuestionProps, "draft">) {
  const isOut = useSignedOut();
  if (isOut) return <SignedOut left="Your draft stays." />;
  return (
    draft.complaint && (
      <span role="alert">
        <Mark kind="stop">{draft.complaint}</Mark>
      </span>
    )
  );
}

/** What publishing would change, and the button that does it. */
export function PublishQuestion({
  draft,
  sheet,
  onClose,
  onPublished,
}: DraftQuestionProps & { readonly onPublished: () => void }) {
  const { answer } = draft;
  const session = useSession();
  const [opened] = useState(answer?.revision);
  const [isBusy, setBusy] = useState(false);
  const warnings = sheet.findings.filter((finding) => finding.severity === "warning").length;
  const open = sheet.access.find(({ name }) => name === "open");
  const [everybody, setEverybody] = useState(false);
  return (
    <Question title={`Publish ${sheet.plural} at ${sheet.path}`} onClose={onClose}>
      {/* What was typed last is saved while this is open already: that is one's own. */}
      {answer && answer.revision !== opened && answer.by !== session.data?.name && (
        <p role="status">
          <Mark kind="wait">
            {answer.by} has changed the draft since you opened this. What follows is what it is now.
          </Mark>
        </p>
      )}
      {answer?.published === null ? (
        <p>
          The page is served for the first time, to {open ? <code>{open.source}</code> : "everyone who is signed in"}.
        </p>
      ) : (
        <>
          <p>Changes for everyone who opens the page:</p>
          <ul>
            {answer?.differs.map((line) => (
              <li key={line}>{line}</li>
            ))}
          </ul>
          <p>
            Forms that are open now are taken where the new page reads their fields the same way; otherwise they are
            shown again, with what was typed.
          </p>
        </>
      )}
      <Effects page={sheet.name} revision={answer?.revision ?? 0} />
      {draft.text !== undefined && session.data?.onPublish !== "off" && (
        <QuickRehearsal page={sheet.name} text={draft.text} />
      )}
      {warnings > 0 && (
        <p>
          <Mark kind="wait">{warnings === 1 ? "One warning" : `${warnings} warnings`} in the review.</Mark> You can
          still publish the page.
        </p>
      )}
      {!open && (
        <p>
          <CheckBox label="Let every signed-in user open this page" checked={everybody} onChange={setEverybody} />
        </p>
      )}
      <footer>
        <Strong
          autoFocus={open !== undefined}
          disabled={!open && !everybody}
          $busy={isBusy}
          onClick={async () => {
            setBusy(true);
            if (await draft.publish(everybody)) {
              onClose();
              onPublished();
              focusAfter();
            }
            setBusy(false);
          }}
        >
          {isBusy ? "Publishing…" : "Publish now"}
        </Strong>
        <QuietButton onClick={onClose}>Cancel</QuietButton>
        <Complaint draft={draft} />
      </footer>
    </Question>
  );
}

/** Asks before a draft goes of which nothing else is left. */
export function AbandonQuestion({ draft, sheet, onClose }: DraftQuestionProps) {
  const navigate = useNavigate();
  return (
    <Question role="alertdialog" title={`Discard draft of ${sheet.plural}`} onClose={onClose}>
      <p>The page was never published, so nothing of it remains. Download its file first if you may want it again.</p>
      <footer>
        <Strong
          onClick={async () => {
            if (await draft.abandon()) void navigate("/");
          }}
        >
          Discard draft
        </Strong>
        <QuietButton autoFocus onClick={onClose}>
          Cancel
        </QuietButton>
        <Complaint draft={draft} />
      </footer>
    </Question>
  );
}
