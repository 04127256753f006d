import { type FocusEvent, useState } from "react";

/** A list that grows at its head by itself, as it is shown. */
export interface Held<Item> {
  readonly shown: readonly Item[];
  /** How many have come since that are not shown yet. */
  readonly fresh: number;
  /** Shows them. */
  readonly show: () => void;
  /** For the element around the list. */
  readonly within: {
    readonly onPointerEnter: () => void;
    readonly onPointerLeave: () => void;
    readonly onFocus: () => void;
    readonly onBlur: (event: FocusEvent) => void;
  };
}

/** Nothing moves from under a click: while somebody points into a list, or has the focus there, what is new at its head waits. */
export function useHeld<Item extends { readonly id: string }>(items: readonly Item[]): Held<Item> {
  const [isPointed, setPointed] = useState(false);
  const [hasFocus, setFocus] = useState(false);
  const [head, setHead] = useState<string>();
  const first = items[0]?.id;
  // What has another head, as after another search, is another list.
  const fresh =
    isPointed || hasFocus
      ? Math.max(
          0,
          items.findIndex(({ id }) => id === head),
        )
      : 0;
  if (fresh === 0 && head !== first) setHead(first);
  return {
    shown: fresh === 0 ? items : items.slice(fresh),
    fresh,
    show: () => setHead(first),
    within: {
      onPointerEnter: () => setPointed(true),
      onPointerLeave: () => setPointed(false),
      onFocus: () => setFocus(true),
      onBlur: ({ currentTarget, relatedTarget }) => setFocus(currentTarget.contains(relatedTarget)),
    },
  };
}
