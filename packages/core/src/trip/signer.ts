/** Makes keyed digests in base64url: handed in by the runtime, which holds the key. */
export interface Signer {
  /** What proves that a text was signed here: HMAC-SHA-256 (RFC 2104). */
  sign(text: string): string;
  /** Short digests under a key of one form's own: 66 bits, for telling its fields' texts apart, not for proving anything. */
  digests(form: string): (text: string) => string;
  /** Signers of earlier keys: what they signed still counts, and nothing new is signed by them. */
  readonly older?: readonly Signer[];
}
