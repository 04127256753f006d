import * as v from "valibot";

/** Makes keyed digests: HMAC-SHA-256 (RFC 2104) in base64url, handed in by the runtime, which holds the key. */
export interface Signer {
  sign(text: string): string;
}

const claimsSchema = v.strictObject({
  id: v.string(),
  form: v.picklist(["edit", "new", "delete"]),
  page: v.string(),
  version: v.string(),
  key: v.array(v.string()),
  actor: v.string(),
  session: v.string(),
  row: v.string(),
  at: v.string(),
  shown: v.record(v.string(), v.string()),
});

/**
 * What a form remembers of its making: an id of its own (UUID), what it is for, page and its version, key, actor, session, the row's version (`xmin`), the time, and
 * for every field a keyed digest of what its control showed.
 */
export type Claims = v.InferOutput<typeof claimsSchema>;

/** Whether two texts are the same, in a time that depends on their length only. */
function sameText(a: string, b: string): boolean {
  let differing = a.length ^ b.length;
  for (let index = 0; index < a.length; index++)
    differing |= a.charCodeAt(index) ^ (b.charCodeAt(index % (b.length || 1)) || 0);
  return differing === 0;
}

/** The token: signature, a dot, the claims as JSON. It hides nothing, so that the page's source can be read. */
export const writeToken = (claims: Claims, signer: Signer): string => {
  const json = JSON.stringify(claims);
  return `${signer.sign(`token ${json}`)}.${json}`;
};

/** The claims of a token that this application signed, or undefined. */
export function readToken(token: string, signer: Signer): Claims | undefined {
  const dot = token.indexOf(".");
  if (dot < 0) return undefined;
  const json = token.slice(dot + 1);
  if (!sameText(token.slice(0, dot), signer.sign(`token ${json}`))) return undefined;
  const parsed = v.safeParse(claimsSchema, JSON.parse(json));
  return parsed.success ? parsed.output : undefined;
}

/** A short keyed digest (66 bits) of what a field's control showed, in its normal form. */
export const digest = (signer: Signer, field: string, normalText: string): string =>
  signer.sign(`shown ${field}\n${normalText}`).slice(0, 11);
