import { message } from "../messages/messages.js";
import { choicesStatement, namedChoiceStatement } from "../statements/find-choices.js";
import { asPicked } from "../steps/read-field.js";
import type { ChoiceSearch, Problem } from "../views/form-view.js";
import type { Given } from "./save-kind.js";

/** What was typed to be found, taken where it names one choice; and what is to be said where it doesn't. */
interface Picked {
  readonly given: Given;
  readonly problems: readonly Problem[];
}

/** The one choice that is called so, or the only one that is found; null where there is none, or more than one. */
async function pickOf({ trip, submission }: Given, { column, text }: ChoiceSearch): Promise<string | null | "several"> {
  const { page, facts, dependencies } = trip;
  const choices = page.fields.find((field) => field.column.name === column)?.choices;
  if (choices?.from !== "table") return null;
  const form = Object.fromEntries(submission.fields.map(({ field, value }) => [field.column.name, value]));
  const here = { ...facts, form };
  const [named, another] = await dependencies.database.run(namedChoiceStatement(choices, here, text));
  if (named && !another) return named.value ?? null;
  const found = await dependencies.database.run(choicesStatement(choices, here, text));
  const [only] = found;
  return found.length === 1 ? (only?.value ?? null) : found.length > 1 ? "several" : null;
}

/** Takes what was typed to be found and not chosen: what can't be taken is refused at its field, where what was found is shown. */
export async function withPicks(given: Given): Promise<Picked> {
  const { trip, submission } = given;
  const { page } = trip;
  let { fields } = submission;
  let search: ChoiceSearch | null = null;
  const problems: Problem[] = [];
  for (const pick of submission.picks) {
    const value = await pickOf(given, pick);
    const field = page.fields.find((each) => each.column.name === pick.column);
    if (!field) continue;
    if (value === null || value === "several") {
      search ??= pick;
      const code = value === null ? "pick-none" : "pick-several";
      problems.push({
        field: pick.column,
        message: message(page.language, code, { label: field.label, text: pick.text }),
      });
      continue;
    }
    const picked = asPicked(submission.claims, field, value, trip);
    fields = fields.map((each) => (each.field === field ? picked : each));
  }
  return { given: { trip, submission: { ...submission, fields, search } }, problems };
}
