import { word } from "../messages/messages.js";
import { isTaken } from "../page/columns.js";
import { undoName } from "../page/names.js";
import { queryText, recordAddress } from "../settings/bound/path.js";
import type { Outcome } from "../trip/outcome.js";
import { ownText } from "../views/own-text.js";
import { renderTemplate, toldMoment } from "../views/told.js";
import { titleOf } from "./prefill.js";

/**
 * The address of the form by which a change is taken back: with the values before it, of its entry in the log. Null where nothing of one
 * record was changed that its form takes.
 *
 * @param kept what goes along to the form
 */
export function undoOf(
  outcome: Outcome & { kind: "saved" | "unchanged" },
  base: string,
  kept: Readonly<Record<string, string>>,
): string | null {
  if (outcome.kind !== "saved" || outcome.what !== "changed" || outcome.entry === undefined) return null;
  if (outcome.rows !== undefined && outcome.rows !== 1) return null;
  const { page, key, changes, entry } = outcome;
  const takes = page.fields.some(
    (field) => isTaken(field, "edit") && changes.some((change) => change.field === field.column.name && !change.hidden),
  );
  return takes ? `${base}${recordAddress(page.path, key)}/edit${queryText({ [undoName]: entry, ...kept })}` : null;
}

/** What is said of a save on the page that it leads to. */
export function saidOf(outcome: Outcome & { kind: "saved" | "unchanged" }): string {
  const { page: at, row, key } = outcome;
  if (outcome.rows !== undefined && outcome.rows !== 1)
    return word(at.language, outcome.rows === 0 ? "no-row-changed" : "rows-saved", { count: outcome.rows });
  const title = titleOf(at, row, key);
  if (outcome.earlier !== undefined)
    return word(at.language, "was-saved", { title, at: toldMoment(at, outcome.earlier) });
  if (outcome.kind === "unchanged") return word(at.language, "nothing-changed", { title });
  const own = { page: at, row, key };
  if (outcome.what === "deleted") return ownText(own, "deleted") ?? word(at.language, "is-deleted", { title });
  if (outcome.what === "made") return ownText(own, "added") ?? word(at.language, "was-added-now", { title });
  return at.answer.message ? renderTemplate(at, at.answer.message, row) : word(at.language, "is-saved", { title });
}
