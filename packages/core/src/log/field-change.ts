import * as v from "valibot";
import { parserOf } from "../postgres/answered.js";

/** One field of a change log entry: what it was and what it became, in text form. */
export interface FieldChange {
  readonly field: string;
  readonly old: string | null;
  readonly new: string | null;
  /** Whether its values are told to nobody: then both are null, and it is known only that it changed. */
  readonly hidden?: true;
}

const textOf = (value: unknown): string | null =>
  value === null || value === undefined ? null : typeof value === "string" ? value : JSON.stringify(value);

export const fieldChanges = v.array(
  v.pipe(
    v.looseObject({ field: v.string() }),
    v.transform(
      ({ field, old, new: now, hidden }): FieldChange => ({
        field,
        old: textOf(old),
        new: textOf(now),
        ...(hidden ? { hidden: true } : {}),
      }),
    ),
  ),
);

/**
 * The fields of an entry, as a statement answers them. Who owns the log may have put anything there, which is verifying's to tell: a value that is no
 * text is told as JSON, and what are no fields are none.
 */
export const changesIn = parserOf(v.fallback(fieldChanges, []), "[]");
