import { createHmac, createSecretKey, hash } from "node:crypto";
import type { Signer } from "@loyal-quill/core";

/**
 * A signer over HMAC-SHA-256 (RFC 2104).
 *
 * @param keys one of at least 32 bytes; or several, the newest first, of which the others only tell what they signed before
 */
export function signerOf(keys: SigningKeys): Signer {
  const [newest, ...older] = typeof keys === "string" || keys instanceof Uint8Array ? [keys] : keys;
  if (newest === undefined || Buffer.byteLength(newest) < 32)
    throw new Error("The signing key must hold at least 32 bytes.");
  return { ...signerBy(newest), older: older.map((key) => signerBy(key)) };
}

/** A key, or several, the newest first. */
export type SigningKeys = string | Uint8Array | readonly (string | Uint8Array)[];

function signerBy(given: string | Uint8Array): Signer {
  const key = createSecretKey(Buffer.from(given));
  const sign = (text: string): string => createHmac("sha256", key).update(text).digest("base64url");
  return {
    sign,
    // A form has a dozen digests. A key that is as long as the hash, put before the text, and a digest of which most is cut off:
    // nothing to go on from, and half the time of an HMAC.
    digests(form) {
      const formKey = sign(`digests ${form}`);
      return (text) => hash("sha256", `${formKey}${text}`, "base64url").slice(0, 11);
    },
  };
}
