import { useSyncExternalStore } from "react";

/** The zone of the reader's device. */
export const ownZone = Intl.DateTimeFormat().resolvedOptions().timeZone;

const kept = "quill-zone";
const listeners = new Set<() => void>();

function isZone(name: string): boolean {
  try {
    return new Intl.DateTimeFormat("en-GB", { timeZone: name }) !== null;
  } catch {
    return false;
  }
}

/** What was chosen on this device; a browser may keep nothing, or refuse to. */
function read(): string {
  try {
    const name = localStorage.getItem(kept);
    return name !== null && isZone(name) ? name : ownZone;
  } catch {
    return ownZone;
  }
}

let chosen = read();

/** Moments are told in this zone from now on, on this device. */
export function chooseZone(name: string): void {
  chosen = name;
  try {
    if (name === ownZone) localStorage.removeItem(kept);
    else localStorage.setItem(kept, name);
  } catch {
    // It holds until the window is closed.
  }
  for (const listener of listeners) listener();
}

const subscribe = (listener: () => void): (() => void) => {
  listeners.add(listener);
  return () => listeners.delete(listener);
};

/** The zone in which moments are told: the browser's, or the one that was chosen. */
export const useZone = (): string => useSyncExternalStore(subscribe, () => chosen);
