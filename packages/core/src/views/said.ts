/** What is said of what was done, and the way to take it back, where there is one. */
export interface Said {
  readonly text: string;
  /** The address of the form with the values before it. */
  readonly undo: string | null;
}

/** A line with nothing to be taken back. */
export const plainly = (text: string): Said => ({ text, undo: null });
