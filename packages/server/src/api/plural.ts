import { contentOf } from "@loyal-quill/authoring";

/** What a page that is out of service calls its records, as far as its file can be read. */
export function pluralIn(text: string): string | undefined {
  const plural = contentOf(text)?.plural;
  return typeof plural === "string" ? plural : undefined;
}
