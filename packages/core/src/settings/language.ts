import * as v from "valibot";
import { type Language, languages } from "../messages/messages.js";
import type { Setting } from "./setting.js";

export const language: Setting<Language, Language, "language"> = {
  label: "Language",
  about: "The language of the page's own words, and of its numbers and days: `en`, `de`, `ar`.",
  without: "`en`",
  step: "prefill",
  editor: { kind: "choice", options: "languages" },
  into: "language",
  schema: () => v.picklist(Object.keys(languages) as Language[]),
  bind: (given) => given ?? "en",
};
