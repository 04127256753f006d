import { type DragEvent, useState } from "react";
import { useEditing } from "../editing/settings.js";
import type { Selection } from "../editing/use-selection.js";
import type { Alignment } from "./use-alignment.js";

/** Where the dragged fields would go: before another field, after the last one (null), or off the page. */
type Place = { readonly before: string | null } | "off";

interface FieldDrag {
  /** What letting go would do, and where a line shows it, in pixels from the page's top; null where it would do nothing. */
  readonly shown: { readonly top: number; readonly says: string } | null;
  /** For what can be taken hold of. */
  readonly handle: (name: string) => {
    readonly draggable: true;
    readonly onDragStart: (event: DragEvent) => void;
    readonly onDragEnd: () => void;
  };
  /** For the margin along which fields are dragged. */
  readonly zone: {
    readonly onDragOver: (event: DragEvent) => void;
    readonly onDragLeave: (event: DragEvent) => void;
    readonly onDrop: (event: DragEvent) => void;
  };
}

const samePlace = (a: Place | null, b: Place): boolean =>
  a !== null && (a === "off" || b === "off" ? a === b : a.before === b.before);

/** The first field whose middle lies below a height, of those that stay where they are. */
export function placeAt(alignment: Alignment, staying: readonly string[], y: number): string | null {
  const tops = staying.map((name) => alignment.tops.get(name) ?? 0);
  const at = tops.findIndex((top, index) => y < (top + (tops[index + 1] ?? alignment.end)) / 2);
  return staying[at] ?? null;
}

/**
 * Fields are moved by dragging their names along the margin, put on the page and taken off it; several chosen ones go together.
 * By keyboard the same is done with Alt and the arrows (see use-selection.ts).
 *
 * @param order the fields of the page
 */
export function useFieldDrag(order: readonly string[], alignment: Alignment, selection: Selection): FieldDrag {
  const { edit } = useEditing();
  const [names, setNames] = useState<readonly string[]>([]);
  const [place, setPlace] = useState<Place | null>(null);
  const staying = order.filter((name) => !names.includes(name));
  const isNew = names.some((name) => !order.includes(name));

  const placeOf = (event: DragEvent): Place | null => {
    if (alignment.tops.size === 0) return null;
    const y = event.clientY - event.currentTarget.getBoundingClientRect().top;
    // Below the last field are the columns that the page does not show.
    if (y > alignment.end + 8) return isNew ? null : "off";
    return { before: placeAt(alignment, staying, y) };
  };

  const end = (): void => {
    setNames([]);
    setPlace(null);
  };

  const drop = (to: Place): void => {
    if (to === "off") selection.takeOff(names);
    else if (isNew) edit([{ do: "add-fields", names, before: to.before }], `add ${names.join(", ")}`);
    else edit([{ do: "move-fields", names, before: to.before }], `move ${names.join(", ")}`);
  };

  const shownAt = (to: Place): FieldDrag["shown"] =>
    to === "off"
      ? { top: alignment.end + 8, says: `remove ${names.join(", ")} from the page` }
      : { top: alignment.tops.get(to.before ?? "") ?? alignment.end, says: `${names.join(", ")} here` };

  return {
    shown: place && shownAt(place),
    handle: (name) => ({
      draggable: true,
      onDragStart: (event) => {
        const many = selection.names.includes(name) ? order.filter((each) => selection.names.includes(each)) : [name];
        event.dataTransfer.effectAllowed = "move";
        event.dataTransfer.setData("text/plain", many.join("\n"));
        setNames(many);
      },
      onDragEnd: end,
    }),
    zone: {
      onDragOver: (event) => {
        if (names.length === 0) return;
        const next = placeOf(event);
        if (next === null) return setPlace(null);
        event.preventDefault();
        event.dataTransfer.dropEffect = "move";
        // It is told twenty times a second; only another place is news.
        setPlace((was) => (samePlace(was, next) ? was : next));
      },
      onDragLeave: (event) => {
        if (!event.currentTarget.contains(event.relatedTarget as Node | null)) setPlace(null);
      },
      onDrop: (event) => {
        const to = names.length === 0 ? null : placeOf(event);
        if (to === null) return;
        event.preventDefault();
        drop(to);
        end();
      },
    },
  };
}
