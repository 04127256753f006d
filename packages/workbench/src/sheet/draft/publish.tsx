import type { SheetAnswer } from "@loyal-quill/server/api";
import { Suspense, useState } from "react";
import { Small } from "../../parts/inputs.js";
import { part } from "../../parts/part.js";
import { Strong } from "../../parts/states.js";
import type { EditedDraft } from "./use-draft.js";

const loadQuestions = () => import("./publish-questions.js");
const close = ({ onClose }: { readonly onClose: () => void }): void => onClose();
const PublishQuestion = part(async () => ({ default: (await loadQuestions()).PublishQuestion }), { close });
const AbandonQuestion = part(async () => ({ default: (await loadQuestions()).AbandonQuestion }), { close });

export interface PublishProps {
  readonly draft: EditedDraft;
  readonly sheet: SheetAnswer;
  /** Whether publishing is asked about. */
  readonly isOpen: boolean;
  readonly setOpen: (open: boolean) => void;
  readonly onPublished: () => void;
}

/** Publishes the draft, once it was said what that changes. */
export function Publish({ draft, sheet, isOpen, setOpen, onPublished }: PublishProps) {
  const hasErrors = sheet.findings.some((finding) => finding.severity === "error");
  return (
    <>
      <Strong disabled={hasErrors} onPointerEnter={PublishQuestion.preload} onClick={() => setOpen(true)}>
        Publish…
      </Strong>
      {isOpen && !hasErrors && (
        <Suspense>
          <PublishQuestion draft={draft} sheet={sheet} onClose={() => setOpen(false)} onPublished={onPublished} />
        </Suspense>
      )}
    </>
  );
}

/** Discards a draft of which nothing else is left, once that was confirmed. */
export function Abandon({ draft, sheet }: Pick<PublishProps, "draft" | "sheet">) {
  const [isOpen, setOpen] = useState(false);
  return (
    <>
      <Small type="button" onPointerEnter={AbandonQuestion.preload} onClick={() => setOpen(true)}>
        Discard draft…
      </Small>
      {isOpen && (
        <Suspense>
          <AbandonQuestion draft={draft} sheet={sheet} onClose={() => setOpen(false)} />
        </Suspense>
      )}
    </>
  );
}
