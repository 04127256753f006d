import type { SheetAnswer } from "@loyal-quill/server/api";
import { useState } from "react";
import { useNavigate } from "react-router";
import { useEffects, useSession } from "../api/queries.js";
import { focusAfter } from "../parts/focus.js";
import { CheckBox } from "../parts/inputs.js";
import { Mark } from "../parts/mark.js";
import { Question } from "../parts/question.js";
import { QuietButton, Strong } from "../parts/states.js";
import { texts } from "../texts.js";
import { QuickRehearsal } from "./quick-rehearsal.js";
import type { EditedDraft } from "./use-draft.js";

const says = texts.publishQuestions;

interface DraftQuestionProps {
  readonly draft: EditedDraft;
  readonly sheet: SheetAnswer;
  readonly onClose: () => void;
}

/** For whom it changes what they may do. */
function Effects({ page, revision }: { page: string; revision: number }) {
  const effects = useEffects(page, revision);
  if (effects.isPending) return <p>{says.checkingWhoIsAffected}</p>;
  if (effects.error)
    return (
      <p>
        {says.itCouldNotBeFoundOut}
        {effects.error.message}
      </p>
    );
  if (effects.data.length === 0) return <p>{says.nobodyCanSeeOrEditDifferent}</p>;
  return (
    <>
      <p>{says.forThesePeople}</p>
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

/** What publishing would change, and the button that does it. */
export function PublishQuestion({ draft, sheet, onClose }: DraftQuestionProps) {
  const { answer } = draft;
  const session = useSession();
  const [isBusy, setBusy] = useState(false);
  const warnings = sheet.findings.filter((finding) => finding.severity === "warning").length;
  const open = sheet.access.find(({ name }) => name === "open");
  const [everybody, setEverybody] = useState(false);
  return (
    <Question title={says.publishAt(sheet.plural, sheet.path)} onClose={onClose}>
      {answer?.published === null ? (
        <p>
          {says.thePageIsServedForThe}
          {open ? <code>{open.source}</code> : says.everyoneWhoIsSignedIn}.
        </p>
      ) : (
        <>
          <p>{says.changesForEveryoneWhoOpensThe}</p>
          <ul>
            {answer?.differs.map((line) => (
              <li key={line}>{line}</li>
            ))}
          </ul>
          <p>{says.formsThatAreOpenNowAre}</p>
        </>
      )}
      <Effects page={sheet.name} revision={answer?.revision ?? 0} />
      {draft.text !== undefined && session.data?.onPublish !== "off" && (
        <QuickRehearsal page={sheet.name} text={draft.text} />
      )}
      {warnings > 0 && (
        <p>
          <Mark kind="wait">{warnings === 1 ? says.oneWarning : says.warnings(warnings)}</Mark>
          {says.inTheReviewItCanBe}
        </p>
      )}
      {!open && (
        <p>
          <CheckBox label={says.everybodyMayOpenIt} checked={everybody} onChange={setEverybody} />
        </p>
      )}
      <footer>
        <Strong
          autoFocus={open !== undefined}
          disabled={isBusy || (!open && !everybody)}
          onClick={async () => {
            setBusy(true);
            if (await draft.publish(everybody)) {
              onClose();
              focusAfter();
            }
            setBusy(false);
          }}
        >
          {isBusy ? says.publishing : says.publishNow}
        </Strong>
        <QuietButton onClick={onClose}>{says.cancel}</QuietButton>
        {draft.complaint && <Mark kind="stop">{draft.complaint}</Mark>}
      </footer>
    </Question>
  );
}

/** Asks before a draft goes of which nothing else is left. */
export function AbandonQuestion({ draft, sheet, onClose }: DraftQuestionProps) {
  const navigate = useNavigate();
  return (
    <Question role="alertdialog" title={says.discardDraftOf(sheet.plural)} onClose={onClose}>
      <p>{says.thePageWasNeverPublishedSo}</p>
      <footer>
        <Strong
          onClick={async () => {
            if (await draft.abandon()) void navigate("/");
          }}
        >
          {says.discardDraft}
        </Strong>
        <QuietButton autoFocus onClick={onClose}>
          {says.cancel}
        </QuietButton>
        {draft.complaint && <Mark kind="stop">{draft.complaint}</Mark>}
      </footer>
    </Question>
  );
}
