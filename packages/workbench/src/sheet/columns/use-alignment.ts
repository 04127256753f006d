import { type RefObject, useCallback, useEffect, useState } from "react";

/** Where each field of the served page lies, in pixels from its top, and how high the page is. */
export interface Alignment {
  readonly tops: ReadonlyMap<string, number>;
  /** Below the last field and its notes. */
  readonly end: number;
  readonly height: number;
}

/** Where nothing stands beside the page: notes follow one after the other. */
export const unaligned: Alignment = { tops: new Map(), end: 0, height: 600 };
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

function measure(frame: HTMLIFrameElement, container: HTMLElement): Alignment {
  const page = frame.contentDocument;
  if (!page?.body) return unaligned;
  const heights = needed(container);
  const fields = [...page.querySelectorAll<HTMLElement>("[data-field]")];
  // Notes may take the room between two fields as well: there is nothing in it.
  const between = new Map<Element | null, number>();
  const roomBelow = (field: HTMLElement): number => {
    const { parentElement } = field;
    const known = between.get(parentElement);
    if (known !== undefined || !parentElement) return known ?? 0;
    const room = Number.parseFloat(getComputedStyle(parentElement).rowGap) || 0;
    between.set(parentElement, room);
    return room;
  };
  const rooms = fields.map(roomBelow);
  for (const [index, field] of fields.entries()) {
    const height = `${Math.max(0, (heights.get(field.dataset.field ?? "") ?? 0) + gap - (rooms[index] ?? 0))}px`;
    if (field.style.minHeight !== height) field.style.minHeight = height;
  }
  const tops = new Map(fields.map((field) => [field.dataset.field ?? "", field.getBoundingClientRect().top]));
  // The room between fields that the last one's notes may take is below it, too.
  const last = fields.at(-1);
  const bounds = last?.getBoundingClientRect();
  const end = bounds ? Math.max(bounds.bottom, bounds.top + (heights.get(last?.dataset.field ?? "") ?? 0) + gap) : 0;
  return { tops, end, height: page.documentElement.scrollHeight };
}

const isSame = (a: Alignment, b: Alignment): boolean =>
  a.end === b.end &&
  a.height === b.height &&
  a.tops.size === b.tops.size &&
  [...a.tops].every(([name, top]) => b.tops.get(name) === top);

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
  const [alignment, setAlignment] = useState(unaligned);
  const align = useCallback(() => {
    if (!frame.current || !container.current) return;
    const measured = measure(frame.current, container.current);
    setAlignment((before) => (isSame(before, measured) ? before : measured));
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
