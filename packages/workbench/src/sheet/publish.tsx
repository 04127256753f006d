import type { SheetAnswer } from "@loyal-quill/server/api";
import { useState } from "react";
import { DialogTrigger } from "react-aria-components";
import { useNavigate } from "react-router";
import { useEffects } from "../api/queries.js";
import { focusAfter } from "../parts/focus.js";
import { Slight } from "../parts/inputs.js";
import { Mark } from "../parts/mark.js";
import { Question, Strong } from "../parts/question.js";
import { QuietButton } from "../parts/states.js";
import type { EditedDraft } from "./use-draft.js";

export interface PublishProps {
  readonly draft: EditedDraft;
  readonly sheet: SheetAnswer;
  /** Whether publishing is asked about. */
  readonly isOpen: boolean;
  readonly setOpen: (open: boolean) => void;
}

/** For whom it changes what they may do. */
function Effects({ page, revision }: { page: string; revision: number }) {
  const effects = useEffects(page, revision);
  if (effects.isPending) return <p>Checking who is affected…</p>;
  if (effects.error) return <p>It could not be found out for whom that changes something: {effects.error.message}</p>;
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

/** What publishing would change, and the button that does it. */
export function Publish({ draft, sheet, isOpen, setOpen }: PublishProps) {
  const { answer } = draft;
  const [isBusy, setBusy] = useState(false);
  const errors = sheet.findings.filter((finding) => finding.severity === "error").length;
  const warnings = sheet.findings.length - errors;
  return (
    <DialogTrigger isOpen={isOpen} onOpenChange={setOpen}>
      <Strong isDisabled={errors > 0}>Publish…</Strong>
      <Question title={`Publish ${sheet.plural} at ${sheet.path}`}>
        {(close) => (
          <>
            {answer?.published === null ? (
              <p>
                The page is served for the first time, to{" "}
                {sheet.access.some(({ name }) => name === "open") ? (
                  <code>{sheet.access.find(({ name }) => name === "open")?.source}</code>
                ) : (
                  "Everyone who is signed in"
                )}
                .
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
                  Forms that are open now are taken where the new page reads their fields the same way; otherwise they
                  are shown again, with what was typed.
                </p>
              </>
            )}
            <Effects page={sheet.name} revision={answer?.revision ?? 0} />
            {warnings > 0 && (
              <p>
                <Mark kind="wait">{warnings === 1 ? "one warning" : `${warnings} warnings`}</Mark> in the review; it can
                be published all the same.
              </p>
            )}
            <footer>
              <Strong
                autoFocus
                isDisabled={isBusy}
                onPress={async () => {
                  setBusy(true);
                  if (await draft.publish()) {
                    close();
                    focusAfter();
                  }
                  setBusy(false);
                }}
              >
                {isBusy ? "Publishing…" : "Publish now"}
              </Strong>
              <QuietButton onClick={close}>Cancel</QuietButton>
              {draft.complaint && <Mark kind="stop">{draft.complaint}</Mark>}
            </footer>
          </>
        )}
      </Question>
    </DialogTrigger>
  );
}

/** Asks before a draft goes of which nothing else is left. */
export function Abandon({ draft, sheet }: { draft: EditedDraft; sheet: SheetAnswer }) {
  const navigate = useNavigate();
  return (
    <DialogTrigger>
      <Slight>Discard draft…</Slight>
      <Question role="alertdialog" title={`Discard draft of ${sheet.plural}`}>
        {(close) => (
          <>
            <p>
              The page was never published, so nothing of it remains. Download its file first if you may want it again.
            </p>
            <footer>
              <Strong
                onPress={async () => {
                  if (await draft.abandon()) void navigate("/");
                }}
              >
                Discard draft
              </Strong>
              <QuietButton autoFocus onClick={close}>
                Cancel
              </QuietButton>
              {draft.complaint && <Mark kind="stop">{draft.complaint}</Mark>}
            </footer>
          </>
        )}
      </Question>
    </DialogTrigger>
  );
}
