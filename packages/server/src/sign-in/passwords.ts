import { createHash, randomBytes } from "node:crypto";
import { hash, verify } from "@node-rs/argon2";
import { dictionary } from "@zxcvbn-ts/language-common";
import pLimit from "p-limit";

/** argon2id with OWASP's parameters: 19 MiB, 2 passes, 1 lane. */
const cost = { memoryCost: 19_456, timeCost: 2, parallelism: 1 } as const;

/** Two hashes at once, however many sign in: the others wait, and everybody else is served. */
const turn = pLimit(2);

/** A password's argon2id hash in PHC string format, with a salt of its own. */
export const hashPassword = (password: string): Promise<string> => turn(() => hash(password, cost));

let nobody: Promise<string> | undefined;

/**
 * Whether a password belongs to a hash. Without a hash (no such account) it takes the same time, and the answer is no.
 */
export async function verifyPassword(passwordHash: string | null, password: string): Promise<boolean> {
  nobody ??= hashPassword("nobody has this password");
  const against = passwordHash ?? (await nobody);
  const matches = await turn(() => verify(against, password));
  return matches && passwordHash !== null;
}

/** A password that is made here and shown once: 120 random bits. */
export const newPassword = (): string => randomBytes(15).toString("base64url");

/** The length of a password, in characters. */
export const passwordLength = { least: 12, most: 200 } as const;

/** Passwords that are known from breaches, as a package ships them. */
const known: ReadonlySet<string> = new Set(
  (dictionary as Readonly<Record<string, readonly string[]>>)["passwords-common"],
);

/** What is wrong with a new password (ASVS 5, 6.2); null where nothing is. */
export function passwordProblem(
  password: string,
  account: { readonly email: string },
): "short" | "long" | "breached" | "own" | null {
  const { length } = [...password];
  if (length < passwordLength.least) return "short";
  if (length > passwordLength.most) return "long";
  const plain = password.toLowerCase();
  // A known one with a few characters at its end is as well known.
  if (known.has(plain) || known.has(plain.replace(/[^a-z]+$/, ""))) return "breached";
  const [own = ""] = account.email.toLowerCase().split("@");
  return own.length >= 4 && plain.replace(own, "").length < 6 ? "own" : null;
}

/** What is kept of something random that is shown once. */
export const digestOf = (text: string): string => createHash("sha256").update(text).digest("hex");
