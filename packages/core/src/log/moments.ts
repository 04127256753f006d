import type { FieldChange } from "./field-change.js";

/** What of an entry is needed to go back to a moment before it. */
export interface PastEntry {
  /** ISO 8601, UTC. */
  readonly at: string;
  readonly operation: string;
  readonly fields: readonly (FieldChange & { readonly erased?: unknown })[];
}

/** A record at a moment: null where there was none; a value of which the log does not tell is undefined. */
export type PastRow = Readonly<Record<string, string | null | undefined>> | null;

const tellsNot = ({ hidden, erased }: PastEntry["fields"][number]): boolean => hidden === true || erased !== undefined;

/**
 * A record as it was after an entry, worked out backwards from what it is now: whatever no entry speaks of was the same.
 *
 * @param now the row as it is now, by column; null where there is none
 * @param entries all entries of it, the newest first
 * @param keep how many of the oldest entries still count: all for now, 0 for before the first one
 */
export function rowAfter(now: PastRow, entries: readonly PastEntry[], keep: number): PastRow {
  let row: Record<string, string | null | undefined> | null = now && { ...now };
  for (const { operation, fields } of entries.slice(0, Math.max(0, entries.length - keep))) {
    if (operation === "insert") row = null;
    else {
      const before: Record<string, string | null | undefined> = operation === "delete" ? {} : { ...row };
      for (const change of fields) before[change.field] = tellsNot(change) ? undefined : change.old;
      row = before;
    }
  }
  return row;
}

/** How many of the entries, newest first, were made by a moment. @param moment ISO 8601, UTC */
export const countBy = (entries: readonly PastEntry[], moment: string): number =>
  entries.filter(({ at }) => Date.parse(at) <= Date.parse(moment)).length;

/** A field's values over time, the oldest first: each from its moment on. Null where it was empty, or where there was no record. */
export function valuesOver(
  entries: readonly PastEntry[],
  field: string,
): readonly { readonly at: string; readonly value: string | null }[] {
  return entries.toReversed().flatMap(({ at, operation, fields }) => {
    const change = fields.find((each) => each.field === field);
    if (change && tellsNot(change)) return [];
    if (operation === "delete") return [{ at, value: null }];
    return change ? [{ at, value: change.new }] : [];
  });
}
