import type { english } from "./en.js";

/** What is wrong with a value and what to do, by code. */
export type MessageCode = keyof typeof english.messages;

/** What stands on a page besides. */
export type Word = keyof typeof english.words;

/** Titles and advice of the answers that are not the page itself. */
export type TitleCode = keyof typeof english.titles;

export interface MessageCatalog {
  readonly messages: Readonly<Record<MessageCode, string>>;
  readonly words: Readonly<Record<Word, string>>;
  readonly titles: Readonly<Record<TitleCode, { readonly title: string; readonly advice: string }>>;
}
