import { arabic } from "./ar.js";
import type { MessageCatalog, MessageCode, TitleCode, Word } from "./catalog.js";
import { german } from "./de.js";
import { english } from "./en.js";

export type { MessageCode, TitleCode, Word } from "./catalog.js";

/** The languages that a page can have (BCP 47), what each is called, and the direction in which it is written. */
export const languages = {
  en: { name: "English", direction: "ltr" },
  de: { name: "German", direction: "ltr" },
  ar: { name: "Arabic", direction: "rtl" },
} as const;
export type Language = keyof typeof languages;

const catalogs: Readonly<Record<Language, MessageCatalog>> = { en: english, de: german, ar: arabic };

type Places = Readonly<Record<string, string | number>>;

const filled = (text: string, places: Places): string =>
  text.includes("{") ? text.replaceAll(/\{(\w+)\}/g, (_, name: string) => String(places[name] ?? "")) : text;

/** The message of a code with its places filled; a place without a value stays empty. */
export const message = (language: Language, code: MessageCode, places: Places = {}): string =>
  filled(catalogs[language].messages[code], places);

/** A word or line of the page itself. */
export const word = (language: Language, code: Word, places: Places = {}): string =>
  filled(catalogs[language].words[code], places);

/** Title and advice of an answer. */
export const titleOfCode = (language: Language, code: TitleCode): { readonly title: string; readonly advice: string } =>
  catalogs[language].titles[code];
