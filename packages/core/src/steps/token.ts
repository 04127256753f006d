import type { Signer } from "../trip/signer.js";
import { byName } from "../values/by-name.js";

/** What a form's token keeps of what a field's control showed, in its normal form: a short text itself, or the digest of a longer one. */
export type FieldDigest = (field: string, normalText: string) => string;

/**
 * What a form remembers of its making: an id of its own (UUID), what it is for, page and its version, key, actor, session, the row's version (`xmin`), the time, and
 * for every field a keyed digest of what its control showed.
 */
export interface Claims {
  readonly id: string;
  readonly form: "edit" | "new" | "delete";
  readonly page: string;
  readonly version: string;
  readonly key: readonly string[];
  readonly actor: string;
  /** What stands for the session: see {@link sessionMark}. */
  readonly session: string;
  readonly row: string;
  /** ISO 8601, UTC. */
  readonly at: string;
  readonly shown: Readonly<Record<string, string>>;
  /** A digest of how the page takes each field that was shown: by it a form of an earlier version is known to be read the same. */
  readonly taken: string;
  /** The fields that were shown in a plain text control, since the page's own can't show what is stored (see `controls/show.ts`). */
  readonly plain?: readonly string[] | undefined;
  /** The fields of a new record that show what the page or the address gave, not the table: they are stored as they were shown. */
  readonly given?: readonly string[] | undefined;
  /** The entry of the change log whose old values the form was opened with. */
  readonly undoes?: string | undefined;
  /** An earlier request with this form of which nobody knew whether it was saved: asked before anything is written. */
  readonly doubt?: string;
}

/** Stands before what is signed. It is another one as soon as claims look otherwise, so that a signature says how to read them. */
const signed = (json: string): string => `token@2 ${json}`;

/** Whether two texts are the same, in a time that depends on their length only: how long a signature is, is no secret. */
function sameText(a: string, b: string): boolean {
  if (a.length !== b.length) return false;
  let differing = 0;
  for (let index = 0; index < a.length; index++) differing |= a.charCodeAt(index) ^ b.charCodeAt(index);
  return differing === 0;
}

/** The signer by which a text was signed, the newest first; undefined where it was not signed here. */
export const signerThatMade = (signer: Signer, signature: string, text: string): Signer | undefined =>
  [signer, ...(signer.older ?? [])].find((each) => sameText(signature, each.sign(text)));

/** The token: signature, a dot, the claims as JSON. It hides nothing, so that the page's source can be read. */
export const writeToken = (claims: Claims, signer: Signer): string => {
  const json = JSON.stringify(claims);
  return `${signer.sign(signed(json))}.${json}`;
};

/** The claims of a token that this application signed, or undefined. */
export function readToken(token: string, signer: Signer): Claims | undefined {
  const dot = token.indexOf(".");
  if (dot < 0) return undefined;
  const json = token.slice(dot + 1);
  const by = signerThatMade(signer, token.slice(0, dot), signed(json));
  if (!by) return undefined;
  const parsed = JSON.parse(json) as Claims;
  const claims = { ...parsed, shown: byName(parsed.shown) };
  signers.set(claims, by);
  return claims;
}

/** By whom the claims that were read were signed: their digests are the same one's. */
const signers = new WeakMap<Claims, Signer>();

/** The signer of claims that were read here. */
export const signerOfClaims = (claims: Claims, signer: Signer): Signer => signers.get(claims) ?? signer;

/** What stands for a session in its forms: its own identifier, which may be all that a sign-in rests on, is in none of them. */
export const sessionMark = (session: string, signer: Signer): string =>
  session === "" ? "" : signer.sign(`session ${session}`).slice(0, 22);

/** Whether a mark stands for a session, by whichever of our keys it was made. */
export const isMarkOf = (mark: string, session: string, signer: Signer): boolean =>
  [signer, ...(signer.older ?? [])].some((each) => sessionMark(session, each) === mark);

/** Whether a form is of a session. One that was made before marks stood in forms has the session's own text. */
export const isOfSession = (claims: Claims, session: string, signer: Signer): boolean =>
  claims.session === session || claims.session === sessionMark(session, signerOfClaims(claims, signer));

/** Signs claims that were read here once more, changed, as whoever signed them: their digests go on being that one's. */
export const writeAgain = (claims: Claims, change: Partial<Claims>, signer: Signer): string =>
  writeToken({ ...claims, ...change }, signerOfClaims(claims, signer));

/** A token as if its form had been made of another version of its page, or in another session; what was not signed here stays what it is. */
export function renewToken(token: string, as: Partial<Pick<Claims, "version" | "session">>, signer: Signer): string {
  const claims = readToken(token, signer);
  return claims ? writeAgain(claims, as, signer) : token;
}

/** Texts up to this length stand in the token as they are, after a sign that no digest has: they are on the same page anyway. */
const longestPlain = 12;

/** What a token keeps of a control that showed nothing. */
export const nothingShown = "=";

/** The digests of a form by its id. */
export function fieldDigest(signer: Signer, form: string): FieldDigest {
  let digest: ((text: string) => string) | undefined;
  return (field, normalText) => {
    if (normalText.length <= longestPlain) return `=${normalText}`;
    digest ??= signer.digests(form);
    return digest(`${field}\n${normalText}`);
  };
}
