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
import type { DraftDesk } from "./use-draft.js";

export interface PublishProps {
  readonly desk: DraftDesk;
  readonly sheet: SheetAnswer;
  /** Whether publishing is asked about. */
  readonly isOpen: boolean;
  readonly setOpen: (open: boolean) => void;
}

/** For whom it changes what they may do. */
function Effects({ page, revision }: { page: string; revision: number }) {
  const effects = useEffects(page, revision);
  if (effects.isPending) return <p>Looking for whom that changes something …</p>;
  if (effects.error) return <p>It could not be found out for whom that changes something: {effects.error.message}</p>;
  if (effects.data.length === 0) return <p>Nobody sees or may edit other records than before.</p>;
  return (
    <>
      <p>And for these people:</p>
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
export function Publish({ desk, sheet, isOpen, setOpen }: PublishProps) {
  const { answer } = desk;
  const [isBusy, setBusy] = useState(false);
  const errors = sheet.findings.filter((finding) => finding.severity === "error").length;
  const warnings = sheet.findings.length - errors;
  return (
    <DialogTrigger isOpen={isOpen} onOpenChange={setOpen}>
      <Strong isDisabled={errors > 0}>Publish …</Strong>
      <Question title={`Publish ${sheet.plural} at ${sheet.path}`}>
        {(close) => (
          <>
            {answer?.published === null ? (
              <p>
                The page is served for the first time, to{" "}
                {sheet.access.some(({ name }) => name === "open") ? (
                  <code>{sheet.access.find(({ name }) => name === "open")?.source}</code>
                ) : (
                  "everybody who is signed in"
                )}
                .
              </p>
            ) : (
              <>
                <p>What changes for everybody who opens the page from now on:</p>
                <ul>
                  {answer?.differs.map((line) => (
                    <li key={line}>{line}</li>
                  ))}
                </ul>
                <p>Forms that are open now are asked to look again before they are saved.</p>
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
                  if (await desk.publish()) {
                    close();
                    focusAfter();
                  }
                  setBusy(false);
                }}
              >
                {isBusy ? "Publishing …" : "Publish now"}
              </Strong>
              <QuietButton onPress={close}>Not yet</QuietButton>
              {desk.complaint && <Mark kind="stop">{desk.complaint}</Mark>}
            </footer>
          </>
        )}
      </Question>
    </DialogTrigger>
  );
}

/** Asks before a draft goes of which nothing else is left. */
export function Abandon({ desk, sheet }: { desk: DraftDesk; sheet: SheetAnswer }) {
  const navigate = useNavigate();
  return (
    <DialogTrigger>
      <Slight>Discard the draft …</Slight>
      <Question role="alertdialog" title={`Discard the draft of ${sheet.plural}`}>
        {(close) => (
          <>
            <p>
              The page is not served, so nothing of it is left afterwards. Take its file out first if you may want it
              again.
            </p>
            <footer>
              <Strong
                onPress={async () => {
                  if (await desk.abandon()) void navigate("/");
                }}
              >
                Discard it
              </Strong>
              <QuietButton autoFocus onPress={close}>
                Keep it
              </QuietButton>
              {desk.complaint && <Mark kind="stop">{desk.complaint}</Mark>}
            </footer>
          </>
        )}
      </Question>
    </DialogTrigger>
  );
}
