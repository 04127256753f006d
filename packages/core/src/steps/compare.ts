import { comparable } from "../controls/show.js";
import type { Row } from "../postgres/statement.js";
import type { Trip } from "../trip/trip.js";
import type { SubmittedField } from "./read-field.js";
import { type Claims, fieldDigest, signerOfClaims } from "./token.js";

/** What shown, stored now and submitted together say of a field. */
export type FieldState = "untouched" | "changed" | "same-change" | "conflict";

export interface ComparedField {
  readonly submitted: SubmittedField;
  readonly state: FieldState;
}

/** Without a look at the row: what was touched counts as changed, on the word of the row's version in the WHERE. */
export const compareWithShown = (fields: readonly SubmittedField[]): readonly ComparedField[] =>
  fields.map((submitted) => ({ submitted, state: submitted.touched ? "changed" : "untouched" }));

/** Against the row as it is stored now, after its version was found to be another. */
export function compareWithStored(
  { page, dependencies }: Pick<Trip, "page" | "dependencies">,
  row: Row,
  fields: readonly SubmittedField[],
  claims: Claims,
): readonly ComparedField[] {
  const digest = fieldDigest(signerOfClaims(claims, dependencies.signer), claims.id);
  return fields.map((submitted): ComparedField => {
    if (!submitted.touched) return { submitted, state: "untouched" };
    const { name } = submitted.field.column;
    const stored = row[name] ?? null;
    if (digest(name, comparable(submitted.field, stored, page)) === claims.shown[name])
      return { submitted, state: "changed" };
    return { submitted, state: stored === submitted.value ? "same-change" : "conflict" };
  });
}

/** The fields that are to be written. */
export const changedFields = (compared: readonly ComparedField[]): readonly SubmittedField[] =>
  compared.filter((each) => each.state === "changed").map((each) => each.submitted);
