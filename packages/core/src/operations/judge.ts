import { headingOfProblems } from "../html/form.js";
import { word } from "../messages/messages.js";
import { titleOf } from "../steps/prefill.js";
import { read } from "../steps/read.js";
import type { Outcome } from "../trip/outcome.js";
import type { Trip } from "../trip/trip.js";
import { problemsOfNew } from "./create.js";
import { holderOf } from "./form.js";
import { problemsOfSave } from "./save.js";

/**
 * Reads and checks a form as a save would, and writes nothing. What only a save can tell (a conflict, what the table refuses, a form
 * that has to be looked at again) is left for it.
 */
export async function judge(trip: Trip, body: string): Promise<Outcome> {
  const { page, key, recorder, dependencies } = trip;
  const { language } = page;
  const form = key.length === 0 ? "new" : "edit";
  const result = read(holderOf(trip, form), body, dependencies.signer);
  const sound = result.ok && result.submission.stale === null && result.submission.claims.doubt === undefined;
  const problems = !sound
    ? []
    : form === "new"
      ? await problemsOfNew(trip, result.submission)
      : await problemsOfSave(trip, result.submission);
  recorder.note("check", [{ name: "problems", value: String(problems.length) }]);
  const title = form === "new" ? word(language, "new-in", { list: page.plural }) : titleOf(page, {}, key);
  // Dates that were begun and not finished the browser counts by itself.
  const unfinished = Number(/(?:^|&)quill\.unfinished=(\d{1,3})(?:&|$)/.exec(body)?.[1] ?? 0);
  const judged = {
    problems,
    heading: headingOfProblems(language, problems.length + unfinished),
    advice: word(language, "typed-is-here"),
    title: word(language, "put-right", { title }),
  };
  return { kind: "shown", view: { what: "judged", judged } };
}
