import { type KeyboardEvent, type MouseEvent, useState } from "react";
import type { Editing } from "./settings.js";

export interface Selection {
  readonly names: readonly string[];
  readonly choose: (names: readonly string[]) => void;
  readonly move: (names: readonly string[], by: -1 | 1) => void;
  readonly takeOff: (names: readonly string[]) => void;
  readonly onClick: (name: string, event: MouseEvent) => void;
  readonly onKeyDown: (name: string, event: KeyboardEvent) => void;
}

/** The button of a field in the table's column. */
export const fieldButton = (name: string): HTMLElement | null =>
  document.querySelector<HTMLElement>(`[data-field-button="${CSS.escape(name)}"]`);

const focusSoon = (name: string | undefined): void => {
  if (name !== undefined) requestAnimationFrame(() => fieldButton(name)?.focus());
};

/** Which fields are chosen, by pointer and by keyboard, one or several; and what is done with all of them. */
export function useSelection(order: readonly string[], edit: Editing["edit"]): Selection {
  const [names, choose] = useState<readonly string[]>([]);
  const here = names.filter((name) => order.includes(name));
  const inOrder = (some: readonly string[]): readonly string[] => order.filter((name) => some.includes(name));

  const move = (moved: readonly string[], by: -1 | 1): void => {
    const those = inOrder(moved);
    const rest = order.filter((name) => !those.includes(name));
    const place = order.indexOf((by < 0 ? those[0] : those.at(-1)) ?? "");
    const beforeThem = order.slice(0, place).filter((name) => !those.includes(name)).length;
    const at = Math.max(0, Math.min(rest.length, beforeThem + by));
    edit([{ do: "move-fields", names: those, before: rest[at] ?? null }], `move ${those.join(", ")}`);
    focusSoon(moved[0]);
  };

  const takeOff = (gone: readonly string[]): void => {
    edit([{ do: "remove-fields", names: gone }], `remove ${gone.join(", ")}`);
    choose([]);
    const first = order.findIndex((name) => gone.includes(name));
    focusSoon(order.slice(first).find((name) => !gone.includes(name)) ?? order.find((name) => !gone.includes(name)));
  };

  /** From the field that was chosen first up to this one. */
  const extendTo = (name: string): void => {
    const [from, to] = [order.indexOf(here[0] ?? name), order.indexOf(name)];
    const range = order.slice(Math.min(from, to), Math.max(from, to) + 1);
    choose(from <= to ? range : range.toReversed());
  };

  const onClick = (name: string, event: MouseEvent): void => {
    if (event.shiftKey) extendTo(name);
    else if (event.ctrlKey || event.metaKey)
      choose(here.includes(name) ? here.filter((each) => each !== name) : [...here, name]);
    else choose(here.length === 1 && here[0] === name ? [] : [name]);
  };

  const onKeyDown = (name: string, event: KeyboardEvent): void => {
    const by = event.key === "ArrowDown" ? 1 : event.key === "ArrowUp" ? -1 : 0;
    const many = here.includes(name) ? here : [name];
    if (event.key === "Delete") takeOff(many);
    else if (event.key === "Escape") choose([]);
    else if (by === 0) return;
    else if (event.altKey) move(many, by);
    else {
      const next = order[order.indexOf(name) + by];
      if (next === undefined) return;
      if (event.shiftKey) extendTo(next);
      // What is edited beside the page follows.
      else if (here.length === 1) choose([next]);
      fieldButton(next)?.focus();
    }
    event.preventDefault();
  };

  return { names: here, choose, move, takeOff, onClick, onKeyDown };
}
