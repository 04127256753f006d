import { useEffect } from "react";
import type { EditedDraft } from "./use-draft.js";

/** Ctrl+Z, Ctrl+Shift+Z and Ctrl+Y (with Cmd on a Mac) go back and forth in everything that was done to the draft. */
export function useUndoKeys({ undo, redo }: Pick<EditedDraft, "undo" | "redo">): void {
  useEffect(() => {
    const onKeyDown = (event: KeyboardEvent): void => {
      if (!(event.ctrlKey || event.metaKey) || event.altKey) return;
      const pressed = event.key.toLowerCase();
      if (pressed === "z" && !event.shiftKey) undo();
      else if (pressed === "y" || pressed === "z") redo();
      else return;
      event.preventDefault();
      event.stopPropagation();
    };
    // Before any editor sees it: there is one history for text and settings.
    window.addEventListener("keydown", onKeyDown, { capture: true });
    return () => window.removeEventListener("keydown", onKeyDown, { capture: true });
  }, [undo, redo]);
}
