/** One field of a change log entry: what it was and what it became, in text form. */
export interface FieldChange {
  readonly field: string;
  readonly old: string | null;
  readonly new: string | null;
  /** Whether its values are told to nobody: then both are null, and it is known only that it changed. */
  readonly hidden?: true;
}
