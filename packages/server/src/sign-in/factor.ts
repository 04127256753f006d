import { createCipheriv, createDecipheriv, randomBytes } from "node:crypto";
import { Secret, TOTP } from "otpauth";
import { renderSVG } from "uqr";
import type { Keys } from "../keys.js";
import { digestOf } from "./passwords.js";

/** A code by the time (RFC 6238): six digits, SHA-1, 30 seconds, which is what authenticator apps take. */
const period = 30;
/** Steps of 30 seconds that a clock may be off, each way. */
const window = 1;

/** How many recovery codes an account has, and of how many random bits each is. */
const recoveryCodes = 10;
const recoveryBytes = 10;

const totpOf = (secret: string, application: string, email: string): TOTP =>
  new TOTP({
    issuer: application,
    label: email,
    secret: Secret.fromBase32(secret),
    period,
    digits: 6,
    algorithm: "SHA1",
  });

/** A new secret of 160 bits, in base32. */
export const newFactorSecret = (): string => new Secret({ size: 20 }).base32;

/** The secret as an authenticator app reads it: an `otpauth:` address, and the same as a picture in a data: address. */
export function enrolment(
  secret: string,
  application: string,
  email: string,
): { readonly address: string; readonly picture: string } {
  const address = totpOf(secret, application, email).toString();
  return {
    address,
    picture: `data:image/svg+xml;base64,${Buffer.from(renderSVG(address, { border: 2 })).toString("base64")}`,
  };
}

/**
 * The step of time that a code is of.
 *
 * @param after the last step of which a code was taken: none is taken twice (RFC 6238, 5.2)
 * @returns null where the code is of none around now
 */
export function stepOfCode(secret: string, code: string, after: number, now = Date.now()): number | null {
  const digits = code.replaceAll(/\s/g, "");
  if (!/^\d{6}$/.test(digits)) return null;
  const delta = totpOf(secret, "", "").validate({ token: digits, window, timestamp: now });
  if (delta === null) return null;
  const step = Math.floor(now / 1000 / period) + delta;
  return step > after ? step : null;
}

/** The code of a secret at a moment; for tests, and whoever has the secret. */
export const codeAt = (secret: string, now = Date.now()): string => totpOf(secret, "", "").generate({ timestamp: now });

const alphabet = "abcdefghjkmnpqrstuvwxyz23456789";

/** Codes to be written down, each good for one sign-in. */
export const newRecoveryCodes = (): readonly string[] =>
  Array.from({ length: recoveryCodes }, () => {
    const letters = [...randomBytes(recoveryBytes * 2)].map((byte) => alphabet[byte % alphabet.length]).slice(0, 12);
    return `${letters.slice(0, 4).join("")}-${letters.slice(4, 8).join("")}-${letters.slice(8).join("")}`;
  });

/** What is kept of a recovery code. They are random, so no salt is needed. */
export const recoveryDigest = (code: string): string =>
  digestOf(`recovery ${code.trim().toLowerCase().replaceAll(/[\s-]/g, "")}`);

/** A secret as it is stored: AES-256-GCM under the newest key (NIST SP 800-38D), bound to its account. */
export function lockSecret(secret: string, account: string, keys: Keys): string {
  const [key] = keys.all("second factor");
  const iv = randomBytes(12);
  const cipher = createCipheriv("aes-256-gcm", key as Buffer, iv).setAAD(Buffer.from(account));
  const text = Buffer.concat([cipher.update(secret, "utf8"), cipher.final()]);
  return [iv, cipher.getAuthTag(), text].map((part) => part.toString("base64url")).join(".");
}

/** The stored secret, by whichever key it was locked; null where none of them fits. */
export function unlockSecret(locked: string, account: string, keys: Keys): string | null {
  const [iv, tag, text] = locked.split(".").map((part) => Buffer.from(part, "base64url"));
  if (!iv || !tag || !text) return null;
  for (const key of keys.all("second factor")) {
    try {
      const decipher = createDecipheriv("aes-256-gcm", key, iv).setAAD(Buffer.from(account)).setAuthTag(tag);
      return Buffer.concat([decipher.update(text), decipher.final()]).toString("utf8");
    } catch {
      // Another key's.
    }
  }
  return null;
}
