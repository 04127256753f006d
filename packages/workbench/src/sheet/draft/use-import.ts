import { useEffect } from "react";
import { type Location, useLocation, useNavigate } from "react-router";
import type { EditedDraft } from "./use-draft.js";

/** A page file that is to become the draft of a page. */
export interface Imported {
  /** The page's. */
  readonly name: string;
  readonly text: string;
  /** Where it came from, as undo names it: station.page.yaml, a form. */
  readonly from: string;
}

/** What the Sheet of a page is told by whoever leads there: a text that takes the draft's place, where that can be undone. */
export interface ImportedOver {
  readonly imported?: Imported;
}

/** An imported text takes the draft's place, once the draft is known; once only, whatever is gone back to. */
export function useImport({ text, write }: EditedDraft): void {
  const { state, pathname, search } = useLocation() as Location<ImportedOver | null>;
  const navigate = useNavigate();
  const imported = state?.imported;
  const isKnown = text !== undefined;
  useEffect(() => {
    if (!imported || !isKnown) return;
    write(imported.text, `import ${imported.from}`);
    void navigate(pathname + search, { replace: true, state: null });
  }, [imported, isKnown, write, navigate, pathname, search]);
}
