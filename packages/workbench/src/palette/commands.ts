import { useEffect } from "react";

/** Something that can be reached or done from the palette. */
export interface Command {
  readonly id: string;
  readonly text: string;
  /** What kind of thing it is, in a word or two. */
  readonly what: string;
  readonly run: () => void;
}

/** The commands of what is on screen, by who offers them. */
const offered = new Map<object, readonly Command[]>();

export const commandsHere = (): readonly Command[] => [...offered.values()].flat();

/** Offers commands for as long as the component is on screen. */
export function useCommands(commands: readonly Command[]): void {
  useEffect(() => {
    const key = {};
    offered.set(key, commands);
    return () => void offered.delete(key);
  }, [commands]);
}
