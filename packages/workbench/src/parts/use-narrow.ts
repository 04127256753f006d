import { useSyncExternalStore } from "react";

/** Below this width, which is also that of 1280 pixels at 200 % zoom, one column stands alone (WCAG 2.2, 1.4.10). */
const narrow = matchMedia("(max-width: 999px)");

const subscribe = (listener: () => void): (() => void) => {
  narrow.addEventListener("change", listener);
  return () => narrow.removeEventListener("change", listener);
};

/** Whether there is room for one column only. */
export const useNarrow = (): boolean => useSyncExternalStore(subscribe, () => narrow.matches);
