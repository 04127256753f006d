import transliterate from "@sindresorhus/transliterate";

/**
 * A text as a part of an address: small letters and digits of ASCII, hyphens between. Accents are taken off, and letters that don't
 * decompose are written as their languages do: `Straße` is `strasse`, `Łódź` is `lodz`.
 */
export const slugOf = (text: string): string =>
  transliterate(text)
    .toLowerCase()
    .replaceAll(/[^a-z0-9]+/g, "-")
    .replaceAll(/^-|-$/g, "");
