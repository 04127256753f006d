import { backName } from "../page/names.js";
import type { Signer } from "../trip/signer.js";
import { signerThatMade } from "./token.js";

const signedText = (path: string): string => `back ${path}`;

/**
 * Where a save leads from a form that stands in a view of the application's own, for the form's address.
 *
 * @param path of the view, on the same origin, with its query
 */
export const writeBack = (path: string, signer: Signer): string => `${signer.sign(signedText(path))}.${path}`;

/** The view that an address names, if it was named here; null where it is none, or on another host (RFC 3986, 4.2). */
export function readBack(query: Readonly<Record<string, string>>, signer: Signer): string | null {
  const given = Object.hasOwn(query, backName) ? (query[backName] ?? "") : "";
  const dot = given.indexOf(".");
  const path = given.slice(dot + 1);
  const isHere = dot > 0 && /^\/(?![/\\])/.test(path);
  return isHere && signerThatMade(signer, given.slice(0, dot), signedText(path)) ? path : null;
}
