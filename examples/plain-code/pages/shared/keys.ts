/* Parts of a key in an address, as PostgreSQL prints their values; null for what can be none. */

/** A part of the address as it was meant. */
export const segmentOf = (part: string | readonly string[] | undefined): string => String(part).replace(/^~/, "");

export function wholeNumber(text: string, least: bigint, most: bigint): string | null {
  if (!/^[+-]?\d{1,100}$/.test(text)) return null;
  const number = BigInt(text.replace("+", ""));
  return number < least || number > most ? null : number.toString();
}

export const atMost = (text: string, characters: number): string | null =>
  [...text].length > characters ? null : text;

export const uuid = (text: string): string | null =>
  /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i.test(text) ? text.toLowerCase() : null;
