import { controlKind } from "../controls/index.js";
import { type Language, word } from "../messages/messages.js";
import type { Field } from "../page/page.js";
import { inLanguage } from "../values/in-language.js";
import { isDated } from "./told.js";

/** What was typed in a field of a form that can't be sent again: shown, so that nothing of it is lost. */
export interface TypedText {
  readonly label: string;
  readonly text: string;
}

/** What was typed as the form showed it: the label of a choice that the page itself names, yes and no. */
export function typedText({ choices, control, column }: Field, text: string, language: Language): string {
  if (text !== "" && (control === "check-box" || choices?.from === "truth"))
    return word(language, text === "true" ? "yes" : "no");
  // The two ends of a range are one text.
  const { joined, told } = controlKind(control);
  if (joined && told) return told(text, language);
  return isDated(column) ? inLanguage(column.type.kind, text.replace("T", " "), language) : text;
}
