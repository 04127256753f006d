import { createHmac, hkdfSync, timingSafeEqual } from "node:crypto";

/** What keys are used for: each use has its own, so that what is signed for one says nothing in another. */
type KeyUse = "forms" | "session cookie" | "requests" | "before sign-in" | "device" | "attempts" | "second factor";

/** The least length of a secret, in bytes. */
export const leastKeyLength = 32;

/** The keys of the application, by use: derived from its secrets by HKDF (RFC 5869) with SHA-256. */
export class Keys {
  private readonly made = new Map<KeyUse, readonly Buffer[]>();

  /**
   * @param secrets the newest first: by it everything is signed; what the others signed still counts
   * @throws where there is none, or one is shorter than 32 bytes
   */
  constructor(private readonly secrets: readonly string[]) {
    if (secrets.length === 0) throw new Error("There is no signing key.");
    const short = secrets.findIndex((secret) => Buffer.byteLength(secret) < leastKeyLength);
    if (short >= 0) throw new Error(`Signing key ${short + 1} is shorter than ${leastKeyLength} bytes.`);
  }

  /** The keys of a use, of 32 bytes each, the newest first. */
  all(use: KeyUse): readonly Buffer[] {
    const known = this.made.get(use);
    if (known) return known;
    const keys = this.secrets.map((secret) => Buffer.from(hkdfSync("sha256", secret, "", `loyal-quill ${use}`, 32)));
    this.made.set(use, keys);
    return keys;
  }

  /** A signature by the newest key of a use: HMAC-SHA-256 in base64url. */
  sign(use: KeyUse, text: string): string {
    const [newest] = this.all(use);
    return signature(newest as Buffer, text);
  }

  /** Whether a signature is one of these keys', compared in constant time. */
  isSigned(use: KeyUse, text: string, given: unknown): boolean {
    if (typeof given !== "string") return false;
    return this.all(use).some((key) => sameBytes(signature(key, text), given));
  }
}

const signature = (key: Buffer, text: string): string => createHmac("sha256", key).update(text).digest("base64url");

/** Whether two texts are the same, in a time that depends on their length only. */
function sameBytes(a: string, b: string): boolean {
  const [left, right] = [Buffer.from(a), Buffer.from(b)];
  return left.length === right.length && timingSafeEqual(left, right);
}
