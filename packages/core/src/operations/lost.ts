import { isKnownByKey } from "../controls/choice-source.js";
import { answeredOr } from "../postgres/refusal.js";
import { labelsStatement } from "../statements/find-choices.js";
import { isLeftEmpty, type Submission } from "../steps/read.js";
import type { SubmittedField } from "../steps/read-field.js";
import type { Trip } from "../trip/trip.js";

/** What was typed in a field; of a record that was chosen what it is called, where the database tells that. */
async function textOf({ facts, dependencies: { database } }: Trip, { field, text }: SubmittedField): Promise<string> {
  const { choices } = field;
  if (choices?.from !== "table" || !isKnownByKey(choices)) return text;
  const [row] = await answeredOr(() => database.run(labelsStatement(choices, [text], facts)), [], "unanswered");
  return row?.label ?? text;
}

/** What was typed in a form that can't be sent again, by column: the texts of the fields that were changed and not emptied. */
export async function lostTexts(trip: Trip, { fields }: Submission): Promise<ReadonlyMap<string, string>> {
  const typed = fields.filter((each) => each.sent && each.touched && each.text !== "" && !isLeftEmpty(each));
  const texts = typed.map(async (each) => [each.field.column.name, await textOf(trip, each)] as const);
  return new Map(await Promise.all(texts));
}
