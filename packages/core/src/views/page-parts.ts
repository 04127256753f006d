import type { Markup } from "../markup/markup.js";
import type { Language } from "../messages/messages.js";

/** The inside of a form in its pieces, for an application that puts them in places of its own. */
export interface FormPieces {
  readonly kind: "edit" | "new";
  /** The fields in the page file's order, each with all that belongs to it: label, help, control, what is wrong. */
  readonly fields: readonly { readonly name: string; readonly label: string; readonly block: Markup }[];
  /** Where the page asks why. */
  readonly reason: Markup | null;
  /** The buttons, and the ways out. */
  readonly actions: Markup;
  /** The whole content of the page around another inside of the form. */
  readonly around: (inside: Markup) => Markup;
}

/** What a page is made of, before anything stands around it. */
export interface PageParts {
  readonly language: Language;
  /** The document's title, without the application's name. */
  readonly title: string;
  /** The way back, the heading, and the key where no field shows it. */
  readonly heading: Markup;
  /** What is said of what was done, or of what is wrong; empty where there is nothing to say. */
  readonly notice: Markup;
  readonly content: Markup;
  readonly form: FormPieces | null;
  /** Whether there is something for the script to do. */
  readonly scripted: boolean;
}
