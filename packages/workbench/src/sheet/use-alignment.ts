import { type RefObject, useCallback, useEffect, useState } from "react";

/** Where each field of the served page lies, in pixels from its top, and how high the page is. */
export interface Alignment {
  readonly tops: ReadonlyMap<string, number>;
  /** Below the last field. */
  readonly end: number;
  readonly height: number;
}

const nothing: Alignment = { tops: new Map(), end: 0, height: 600 };
const gap = 2;

/** The heights that the notes beside each field need, by field. */
function needed(container: HTMLElement): Map<string, number> {
  const heights = new Map<string, number>();
  for (const note of container.querySelectorAll<HTMLElement>("[data-beside]")) {
    const name = note.dataset.beside ?? "";
    heights.set(name, Math.max(heights.get(name) ?? 0, note.offsetHeight));
  }
  return heights;
}

/** Moves the first field below the notes that belong to the page as a whole. */
function makeRoomForHead(container: HTMLElement, first: HTMLElement | undefined): void {
  const form = first?.parentElement;
  if (!first || !form) return;
  form.style.marginTop = "";
  const head = Math.max(
    0,
    ...[...container.querySelectorAll<HTMLElement>("[data-beside-head]")].map((note) => note.offsetHeight),
  );
  form.style.marginTop = `${Math.max(0, head - first.getBoundingClientRect().top)}px`;
}

function measure(frame: HTMLIFrameElement, container: HTMLElement): Alignment {
  const page = frame.contentDocument;
  if (!page?.body) return nothing;
  const heights = needed(container);
  const fields = [...page.querySelectorAll<HTMLElement>("[data-field]")];
  makeRoomForHead(container, fields[0]);
  for (const field of fields) field.style.minHeight = `${(heights.get(field.dataset.field ?? "") ?? 0) + gap}px`;
  const tops = new Map(fields.map((field) => [field.dataset.field ?? "", field.getBoundingClientRect().top]));
  const end = fields.at(-1)?.getBoundingClientRect().bottom ?? 0;
  return { tops, end, height: page.documentElement.scrollHeight };
}

/**
 * Keeps notes beside the fields of a page in a frame of the same origin: each field is made as high as the notes beside it
 * need, then says where it lies.
 *
 * @returns the alignment, and what the frame calls when it has loaded
 */
export function useAlignment(
  frame: RefObject<HTMLIFrameElement | null>,
  container: RefObject<HTMLElement | null>,
): [Alignment, () => void] {
  const [alignment, setAlignment] = useState(nothing);
  const align = useCallback(() => {
    if (frame.current && container.current) setAlignment(measure(frame.current, container.current));
  }, [frame, container]);
  useEffect(() => {
    if (!container.current) return;
    const observer = new ResizeObserver(align);
    observer.observe(container.current);
    // Notes that open and close need another height beside them.
    const notes = new MutationObserver(() => {
      for (const note of container.current?.querySelectorAll("[data-beside]") ?? []) observer.observe(note);
    });
    notes.observe(container.current, { childList: true, subtree: true });
    for (const note of container.current.querySelectorAll("[data-beside]")) observer.observe(note);
    return () => {
      observer.disconnect();
      notes.disconnect();
    };
  }, [align, container]);
  return [alignment, align];
}
