import { createHash, randomBytes } from "node:crypto";
import type { Piscina } from "piscina";
import type { Hashing } from "./hashing.js";

/**
 * The thread in which passwords are hashed, as soon as there is one to hash. It is its own: the process's pool also reads files and looks up names, and
 * there is one for all, with less right to the processor, so that whoever tries many passwords waits for themselves and nobody else does.
 */
let thread: Promise<Piscina<Hashing, string | boolean>> | undefined;

async function newThread(): Promise<Piscina<Hashing, string | boolean>> {
  const { Piscina } = await import("piscina");
  return new Piscina<Hashing, string | boolean>({
    filename: new URL(
      import.meta.url.endsWith(".ts") ? "../../dist/sign-in/hashing-entry.cjs" : "./hashing-entry.cjs",
      import.meta.url,
    ).href,
    minThreads: 0,
    maxThreads: 1,
    idleTimeout: 30_000,
    niceIncrement: 10,
  });
}

async function hashed(job: Hashing): Promise<string | boolean> {
  thread ??= newThread();
  return (await thread).run(job);
}

/** A password's argon2id hash in PHC string format, with a salt of its own. */
export const hashPassword = async (password: string): Promise<string> => String(await hashed({ password }));

let nobody: Promise<string> | undefined;

/**
 * Whether a password belongs to a hash. Without a hash (no such account) it takes the same time, and the answer is no.
 */
export async function verifyPassword(passwordHash: string | null, password: string): Promise<boolean> {
  nobody ??= hashPassword("nobody has this password");
  const against = passwordHash ?? (await nobody);
  const matches = await hashed({ password, against });
  return matches === true && passwordHash !== null;
}

/** A password that is made here and shown once: 120 random bits. */
export const newPassword = (): string => randomBytes(15).toString("base64url");

/** The length of a password, in characters. */
export const passwordLength = { least: 12, most: 200 } as const;

let common: Promise<ReadonlySet<string>> | undefined;

/** Passwords that are known from breaches, as a package ships them: read when the first one is judged. */
async function readCommon(): Promise<ReadonlySet<string>> {
  const { dictionary } = await import("@zxcvbn-ts/language-common");
  return new Set((dictionary as Readonly<Record<string, readonly string[]>>)["passwords-common"]);
}

/** What is wrong with a new password (ASVS 5, 6.2); null where nothing is. */
export async function passwordProblem(
  password: string,
  account: { readonly email: string },
): Promise<"short" | "long" | "breached" | "own" | null> {
  common ??= readCommon();
  const known = await common;
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
