import * as v from "valibot";
import { answered } from "../postgres/answered.js";

/** One field of a change log entry: what it was and what it became, in text form. */
export interface FieldChange {
  readonly field: string;
  readonly old: string | null;
  readonly new: string | null;
  /** Whether its values are told to nobody: then both are null, and it is known only that it changed. */
  readonly hidden?: true;
}

export const fieldChanges = v.array(
  v.object({
    field: v.string(),
    old: v.nullable(v.string()),
    new: v.nullable(v.string()),
    hidden: v.exactOptional(v.literal(true)),
  }),
);

/** The fields of an entry, as a statement answers them. */
export const changesIn = answered(fieldChanges, "[]");
