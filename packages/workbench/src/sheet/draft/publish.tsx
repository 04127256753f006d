import type { SheetAnswer } from "@loyal-quill/server/api";
import { lazy, Suspense, useState } from "react";
import { Small } from "../../parts/inputs.js";
import { Strong } from "../../parts/states.js";
import type { EditedDraft } from "./use-draft.js";

const loadQuestions = () => import("./publish-questions.js");
const PublishQuestion = lazy(async () => ({ default: (await loadQuestions()).PublishQuestion }));
const AbandonQuestion = lazy(async () => ({ default: (await loadQuestions()).AbandonQuestion }));

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
      <Strong disabled={hasErrors} onPointerEnter={() => void loadQuestions()} onClick={() => setOpen(true)}>
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
      <Small type="button" onPointerEnter={() => void loadQuestions()} onClick={() => setOpen(true)}>
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
