/** A text as a part of an address: small letters and digits of ASCII, hyphens between; accents are taken off. */
export const slugOf = (text: string): string =>
  text
    .normalize("NFKD")
    .replaceAll(/\p{M}/gu, "")
    .toLowerCase()
    .replaceAll(/[^a-z0-9]+/g, "-")
    .replaceAll(/^-|-$/g, "");
