import type { Stored } from "../postgres/statement.js";
import type { FieldChange } from "./field-change.js";

/** An entry that is to be put back: whole, or some of its fields. */
export interface Undone {
  readonly id: string;
  readonly operation: string;
  readonly fields: readonly (FieldChange & { readonly erased?: unknown })[];
}

/** What becomes of a field. */
export interface FieldBack {
  readonly field: string;
  /** What is stored now. */
  readonly now: Stored;
  /** What the newest of the entries left: where something else is stored, somebody changed it since. */
  readonly left: Stored;
  /** What it becomes again. */
  readonly becomes: Stored;
  readonly isConflict: boolean;
}

/** What putting entries of one record back comes to. */
export interface RecordBack {
  /** `nothing` where all of it is so already. */
  readonly does: "change" | "new" | "delete" | "nothing";
  readonly entries: readonly string[];
  readonly fields: readonly FieldBack[];
  /** Fields of which the log does not tell what they were. */
  readonly untold: readonly string[];
  /** Whether the record is gone, or there again, or was changed since it was made, so that it can't be done as it is. */
  readonly stands: "as-left" | "gone" | "there" | "changed-since";
}

const valuesNow = (row: Readonly<Record<string, Stored>> | null, field: string): Stored => row?.[field] ?? null;

/**
 * What entries of one record come to when they are put back, the newest first: each field becomes what it was before the oldest of them that
 * changed it. Where a value is not what the newest of them left, or was changed by another one between them, it is in conflict.
 *
 * @param undone the entries, the newest first
 * @param row the record as it is now; null where there is none
 * @param only the fields that are put back; all where it is null
 */
export function putBack(
  undone: readonly Undone[],
  row: Readonly<Record<string, Stored>> | null,
  only: ReadonlySet<string> | null,
): RecordBack {
  const [newest, oldest] = [undone[0], undone.at(-1)];
  const entries = undone.map(({ id }) => id);
  const backs = new Map<string, FieldBack>();
  const untold = new Set<string>();
  for (const { fields } of undone)
    for (const { field, old, new: after, hidden, erased } of fields) {
      if (only && !only.has(field)) continue;
      if (hidden || erased !== undefined) {
        untold.add(field);
        continue;
      }
      const known = backs.get(field);
      const now = valuesNow(row, field);
      backs.set(field, {
        field,
        now,
        left: known ? known.left : after,
        becomes: old,
        isConflict: known ? known.isConflict || known.becomes !== after : now !== after,
      });
    }
  const all = [...backs.values()].filter(({ field }) => !untold.has(field));
  const base = { entries, untold: [...untold] };
  if (!only && newest?.operation === "delete") {
    if (oldest?.operation === "insert") return { ...base, does: "nothing", fields: [], stands: "as-left" };
    const fields = all.map((each) => ({ ...each, isConflict: false }));
    return { ...base, does: "new", fields, stands: row ? "there" : "as-left" };
  }
  if (!only && oldest?.operation === "insert")
    return {
      ...base,
      does: row ? "delete" : "nothing",
      fields: all,
      stands: row && all.some(({ isConflict }) => isConflict) ? "changed-since" : "as-left",
    };
  if (!row) return { ...base, does: "nothing", fields: all, stands: "gone" };
  const fields = all.filter(({ now, becomes }) => now !== becomes);
  return { ...base, does: fields.length > 0 ? "change" : "nothing", fields, stands: "as-left" };
}
