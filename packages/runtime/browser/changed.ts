/**
 * What was typed and isn't saved: marked at its field, put back by a button, and asked about before it is left. The answer that comes without
 * this script says the same of a form that was sent.
 */

import { itself } from "./itself.js";

interface Words {
  readonly stored: string;
  readonly back: string;
  readonly yes: string;
  readonly no: string;
  /** How a day is written, with its parts as `$1` to `$3`. */
  readonly day: string;
}

type Control = HTMLInputElement | HTMLSelectElement | HTMLTextAreaElement;

const isControl = (element: EventTarget | null): element is Control =>
  element instanceof HTMLInputElement || element instanceof HTMLSelectElement || element instanceof HTMLTextAreaElement;

/** The keys that put back what is stored in the field that is typed in. */
const putBackKeys = "Alt+Backspace";

/** Controls whose values are saved: what is looked for, or belongs to the form itself, is not. */
const isValue = (control: Control): boolean =>
  control.name !== "" && !/(^|:)quill\./.test(control.name) && control.type !== "hidden" && control.type !== "search";

const defaultOption = (select: HTMLSelectElement): HTMLOptionElement | undefined =>
  [...select.options].find((option) => option.defaultSelected) ?? select.options[0];

/** What the browser makes of the text that a control was given: it writes some in its own way, as 11:08 for 11:08:00 (HTML, 4.10.5.1.11). */
function given(control: HTMLInputElement | HTMLTextAreaElement): string {
  const like = control.cloneNode() as typeof control;
  like.value = control.defaultValue;
  return like.value;
}

const isChanged = (control: Control): boolean => {
  if (control instanceof HTMLSelectElement) return control.value !== (defaultOption(control)?.value ?? "");
  if (control instanceof HTMLInputElement && (control.type === "checkbox" || control.type === "radio"))
    return control.checked !== control.defaultChecked;
  return control.value !== control.defaultValue && control.value !== given(control);
};

const putBack = (control: Control): void => {
  if (control instanceof HTMLSelectElement) control.value = defaultOption(control)?.value ?? "";
  else if (control instanceof HTMLInputElement && (control.type === "checkbox" || control.type === "radio"))
    control.checked = control.defaultChecked;
  else control.value = control.defaultValue;
  control.dispatchEvent(new Event("change", { bubbles: true }));
};

/** What a control showed at first, as people read it. */
function shownAtFirst(controls: readonly Control[], words: Words): string {
  const [first] = controls;
  if (first instanceof HTMLSelectElement) return defaultOption(first)?.text ?? "";
  if (first instanceof HTMLInputElement && first.type === "radio") {
    const chosen = controls.find((each) => each instanceof HTMLInputElement && each.defaultChecked);
    return chosen?.labels?.[0]?.textContent?.trim() ?? "";
  }
  if (first instanceof HTMLInputElement && first.type === "checkbox")
    return first.defaultChecked ? words.yes : words.no;
  const texts = controls.map((each) => {
    const text = "defaultValue" in each ? each.defaultValue : "";
    const isDated = each instanceof HTMLInputElement && /^(date|datetime-local)$/.test(each.type);
    return isDated ? text.replace(/^(\d{4})-(\d\d)-(\d\d)T?/, `${words.day} `).trim() : text;
  });
  // The two ends of a range; where it has none it is empty.
  return texts.every((text) => text === "") ? "" : [...new Set(texts)].join(" – ").trim();
}

const controlsIn = (of: Element): Control[] =>
  [...(of instanceof HTMLFormElement ? itself(of) : of).querySelectorAll("input, select, textarea")]
    .filter(isControl)
    .filter(isValue);

/** A line at a field that differs from what is stored, with the button that puts it back. Of a new record nothing is stored. */
function mark(form: HTMLFormElement, block: HTMLElement): void {
  const controls = controlsIn(block);
  const known = block.querySelector(":scope > .quill-replaced.quill-here");
  const isTold = block.querySelector(".quill-replaced:not(.quill-here), .quill-conflict") !== null;
  if (isTold || !controls.some(isChanged)) {
    known?.remove();
    return;
  }
  if (known) return;
  const words = JSON.parse(itself(form).dataset.changed ?? "{}") as Words;
  const line = document.createElement("p");
  line.className = "quill-replaced quill-here";
  const shown = shownAtFirst(controls, words);
  const stored = document.createElement(shown === "" ? "span" : "q");
  stored.textContent = shown || "–";
  stored.dir = "auto";
  const button = document.createElement("button");
  button.type = "button";
  button.className = "quill-minor";
  button.tabIndex = -1;
  button.title = putBackKeys;
  button.setAttribute("aria-keyshortcuts", putBackKeys);
  const label =
    block.querySelector("legend, label:not(.quill-end label)")?.textContent ??
    controls[0]?.getAttribute("aria-label") ??
    "";
  const about = document.createElement("span");
  about.className = "quill-unseen";
  about.textContent = ` (${label})`;
  button.append(words.back, about);
  button.addEventListener("click", () => {
    for (const control of controls) putBack(control);
    controls[0]?.focus();
    line.remove();
  });
  line.append(words.stored, " ", stored, " ", button);
  block.append(line);
}

// Beside the Tab key's way from control to control: who types corrections goes on to the next one.
document.addEventListener("keydown", (event) => {
  if (!event.altKey || event.key !== "Backspace" || !isControl(event.target)) return;
  const button = event.target.closest("[data-field]")?.querySelector<HTMLElement>(".quill-replaced button");
  if (!button) return;
  event.preventDefault();
  button.click();
});

/** A control of the application's own that the browser changes by itself would be saved untouched: its developer is told, in the console. */
function tellChangedUntouched(): void {
  for (const input of document.querySelectorAll<HTMLInputElement>("[data-quill] [data-field] input[value]")) {
    const text = input.getAttribute("value") ?? "";
    if (input.type === "hidden" || input.type === "checkbox" || input.type === "radio" || input.value === text)
      continue;
    // The same moment, without seconds that are zero: no change to what is stored.
    if (input.type === "datetime-local" && Date.parse(input.value) === Date.parse(text)) continue;
    const field = input.closest<HTMLElement>("[data-field]")?.dataset.field ?? input.name;
    console.warn(
      `The control of "${field}" makes "${input.value}" of "${text}", though nobody has touched it, and would save it. Let keeps of its definition answer false for such a text.`,
    );
  }
}

tellChangedUntouched();

const forms = (): HTMLFormElement[] => [...document.querySelectorAll<HTMLFormElement>("[data-quill] form[data-leave]")];

/** Whether something in a form is typed and not saved: now, or when it was sent and came back. */
const isUnsaved = (form: HTMLFormElement): boolean =>
  controlsIn(form).some(isChanged) || itself(form).querySelector(".quill-replaced, .quill-conflict") !== null;

/** The question before what was typed is left; null where there is nothing to lose. */
const unsavedQuestion = (): string | null => forms().filter(isUnsaved).map(itself)[0]?.dataset.leave ?? null;

let sending = false;

document.addEventListener("input", (event) => changed(event));
document.addEventListener("change", (event) => changed(event));

function changed({ target }: Event): void {
  if (!isControl(target) || !isValue(target)) return;
  const form = target.closest<HTMLFormElement>("form[data-leave]");
  const block = target.closest<HTMLElement>("[data-field]");
  // A choice that is found by searching has a field of its own in its place (see `choices.ts`).
  const isFound = target instanceof HTMLSelectElement && target.dataset.by === "search";
  if (form && itself(form).dataset.changed && block && !isFound) mark(form, block);
}

document.addEventListener("submit", (event) => {
  if (!event.defaultPrevented && !itself(event.target as HTMLFormElement).dataset.send) sending = true;
});
// What was sent in place is saved (see `in-place.ts`).
document.addEventListener("quill:leaving", () => {
  sending = true;
});
addEventListener("pageshow", () => {
  sending = false;
});
addEventListener("beforeunload", (event) => {
  if (!sending && unsavedQuestion() !== null) event.preventDefault();
});
document.addEventListener("quill:shown", () => {
  sending = false;
});
document.addEventListener("quill:leave", (event) => {
  const question = unsavedQuestion();
  if (question !== null && !confirm(question)) event.preventDefault();
});
