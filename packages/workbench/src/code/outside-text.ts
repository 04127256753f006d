import type { EditorView, ViewUpdate } from "@codemirror/view";
import { type RefObject, useCallback, useEffect, useRef } from "react";

/** The smallest change between two texts, so that the cursor stays where it is. */
function changeBetween(before: string, after: string): { from: number; to: number; insert: string } {
  let from = 0;
  const shorter = Math.min(before.length, after.length);
  while (from < shorter && before[from] === after[from]) from += 1;
  let end = 0;
  while (end < shorter - from && before[before.length - 1 - end] === after[after.length - 1 - end]) end += 1;
  return { from, to: before.length - end, insert: after.slice(from, after.length - end) };
}

/**
 * Keeps an editor's text the one that it is given from outside. What the editor has told itself comes back later, and the next key may have been
 * pressed by then: it is no change from outside, and takes nothing away.
 *
 * @returns what the editor does with each of its updates
 */
export function useOutsideText(
  view: RefObject<EditorView | null>,
  text: string,
  tell: (text: string) => void,
): (update: ViewUpdate) => void {
  const told = useRef<string[]>([]);
  const isFollowing = useRef(false);
  const latest = useRef(tell);
  latest.current = tell;

  useEffect(() => {
    const own = told.current.indexOf(text);
    told.current = own < 0 ? [] : told.current.slice(own + 1);
    const editor = view.current;
    const before = editor?.state.doc.toString();
    if (own >= 0 || !editor || before === undefined || before === text) return;
    isFollowing.current = true;
    editor.dispatch({ changes: changeBetween(before, text) });
    isFollowing.current = false;
  }, [text, view]);

  return useCallback((update) => {
    if (!update.docChanged || isFollowing.current) return;
    const now = update.state.doc.toString();
    told.current.push(now);
    latest.current(now);
  }, []);
}
