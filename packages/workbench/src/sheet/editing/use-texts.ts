import { type RefObject, useEffect, useRef } from "react";
import { editTexts } from "./page-texts.js";
import { useEditing } from "./settings.js";

/**
 * Lets the texts of a page in a frame be edited where they stand.
 *
 * @param frame null until its page is there
 */
export function useTexts(frame: RefObject<HTMLIFrameElement | null> | null, isOn: boolean): void {
  const editing = useEditing();
  const latest = useRef(editing);
  latest.current = editing;
  useEffect(() => {
    const page = frame?.current?.contentDocument;
    if (!page?.body || !isOn) return;
    return editTexts(page, {
      content: () => latest.current.content,
      edit: (edits, what) => latest.current.edit(edits, what),
    });
  }, [frame, isOn]);
}
