import { word } from "../messages/messages.js";
import type { Outcome } from "../trip/outcome.js";
import { ownText } from "../views/own-text.js";
import { renderTemplate, toldMoment } from "../views/told.js";
import { titleOf } from "./prefill.js";

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
