import { randomBytes } from "node:crypto";
import { hash, verify } from "@node-rs/argon2";

/** argon2id with OWASP's parameters: 19 MiB, 2 passes, 1 lane. */
const cost = { memoryCost: 19_456, timeCost: 2, parallelism: 1 } as const;

/** A password's argon2id hash in PHC string format, with a salt of its own. */
export const hashPassword = (password: string): Promise<string> => hash(password, cost);

let nobody: Promise<string> | undefined;

/**
 * Whether a password belongs to a hash. Without a hash (no such account) it takes the same time, and the answer is no.
 */
export async function verifyPassword(passwordHash: string | null, password: string): Promise<boolean> {
  nobody ??= hashPassword("nobody has this password");
  const matches = await verify(passwordHash ?? (await nobody), password);
  return matches && passwordHash !== null;
}

/** A password that is made here and shown once: 120 random bits. */
export const newPassword = (): string => randomBytes(15).toString("base64url");
