import { useEffect } from "react";

/**
 * What shall have the focus as soon as it is on screen. Whoever opens something asks for a control by its name; the control
 * takes the focus when it hears of it, or when it appears, however long its code takes to load. The next key or click of the
 * person ends the wish: focus that comes late would be in the way.
 */
let wanted: string | undefined;
const controls = new Map<string, Set<() => void>>();

const forget = (): void => {
  wanted = undefined;
  removeEventListener("keydown", forget, true);
  removeEventListener("pointerdown", forget, true);
};

/** Asks for the focus on the control of this name, which is there now or will be. */
export function requestFocus(name: string): void {
  forget();
  const last = [...(controls.get(name) ?? [])].at(-1);
  if (last) {
    last();
    return;
  }
  wanted = name;
  addEventListener("keydown", forget, true);
  addEventListener("pointerdown", forget, true);
}

/** Makes a control known by a name: `focus` is called when the focus is asked for, now or before it was there. */
export function useFocusRequest(name: string | undefined, focus: () => void): void {
  // biome-ignore lint/correctness/useExhaustiveDependencies: `focus` reads refs only
  useEffect(() => {
    if (name === undefined) return;
    const known = controls.get(name) ?? new Set();
    controls.set(name, known.add(focus));
    if (wanted === name) {
      forget();
      focus();
    }
    return () => {
      known.delete(focus);
      if (known.size === 0) controls.delete(name);
    };
  }, [name]);
}
