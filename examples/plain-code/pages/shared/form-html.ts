import { type Html, html, idOf } from "./html.js";

/** What a control offers to choose from. */
export interface Option {
  readonly value: string;
  readonly label: string;
  /** Whether it is stored and not offered any more. */
  readonly gone?: boolean;
  /** Whether it was found by searching. */
  readonly isFound?: boolean;
}

/** The button that the enter key presses: a form's first one (HTML, 4.10.21.2). Without it that would be one that saves nothing. */
export const byEnter = html`<button class="unseen" tabindex="-1" aria-hidden="true"></button>`;

/** What somebody else has stored meanwhile, beside what was typed. */
export interface Conflict<Field extends string> {
  readonly field: Field;
  /** Who did so and when, as far as the log says. */
  readonly change: { readonly by: string; readonly at: string } | null;
}

export function conflictNote({ field, change }: Conflict<string>, stored: string, label: string): Html {
  const who = change ? `Stored now by ${change.by} at ${change.at}:` : "Stored now:";
  return html`<p class="conflict">${who} <q>${stored}</q> <button name="form.take" value="${field}" formnovalidate>Take theirs<span class="unseen"> (${label})</span></button></p>`;
}

interface Wrong<Field extends string> {
  readonly problems: readonly { readonly field: string | null; readonly message: string }[];
  readonly conflicts: readonly Conflict<Field>[];
  readonly labels: Readonly<Record<Field, string>>;
  /** What the button says that saves. */
  readonly button: string;
}

/** What is wrong, above the form, each line a link to its field (WCAG 2.2, 3.3.1). */
export function summary<Field extends string>({ problems, conflicts, labels, button }: Wrong<Field>): Html {
  const told = (field: Field): string => `${labels[field]} was changed by someone else since you opened this form.`;
  const lines = [...problems, ...conflicts.map(({ field }) => ({ field, message: told(field) }))];
  const counted = lines.length === 1 ? "Fix one error" : `Fix ${lines.length} errors`;
  const [heading, advice] =
    conflicts.length > 0
      ? [
          "Someone else has changed this record",
          `Nothing was saved. Both values stand at the field: keep yours or press Take theirs, then press ${button} again.`,
        ]
      : [counted, "Nothing was saved. What you typed is still here."];
  return html`<section class="summary" role="alert" tabindex="-1" autofocus aria-labelledby="summary-heading">
<h2 id="summary-heading">${heading}</h2>
<ul>${lines.map(({ field, message }) => html`<li>${field === null ? message : html`<a href="#${encodeURIComponent(idOf(field))}">${message}</a>`}</li>`)}</ul>
<p>${advice}</p>
</section>`;
}

/** A field that is shown and not taken. */
export const fixed = (label: string, value: string): Html =>
  html`<div class="field"><span class="label">${label}</span><span>${value}</span></div>`;
