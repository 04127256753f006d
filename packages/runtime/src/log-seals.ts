import { createPrivateKey, createPublicKey, type KeyObject, sign } from "node:crypto";
import { appendFile } from "node:fs/promises";
import process from "node:process";
import {
  type Database,
  DatabaseAway,
  DatabaseRefusal,
  makeSealsStatement,
  mostSealed,
  rangesOf,
  type Seal,
  signSealStatement,
} from "@loyal-quill/core";
import { keyName, sealOf } from "./log-verify.js";
import { signatureOf } from "./webhook.js";

/** What is done with seals beside being kept in the log. */
export interface SealOptions {
  /** A private key (PEM, Ed25519) that they are signed with. */
  readonly privateKey?: string;
  /**
   * Where they are written as well, each as a line of JSON: a file that is appended to, `-` for standard output, or an `http:` or `https:` address
   * that each is posted to.
   */
  readonly to?: readonly string[];
  /** The secret with which what is posted is signed, as a webhook is. */
  readonly secret?: string;
}

/** A seal as it is written elsewhere: all that its hash is over, the hash, and the signature. */
export const sealLine = (seal: Seal): string => JSON.stringify(seal);

async function post(address: string, { number }: Seal, line: string, secret: string | undefined): Promise<void> {
  const seconds = Math.floor(Date.now() / 1000);
  const id = `seal-${number}`;
  const response = await fetch(address, {
    method: "POST",
    headers: {
      "content-type": "application/json",
      "webhook-id": id,
      "webhook-timestamp": String(seconds),
      ...(secret === undefined ? {} : { "webhook-signature": signatureOf(secret, id, seconds, line) }),
    },
    body: line,
    redirect: "error",
    signal: AbortSignal.timeout(10_000),
  });
  await response.body?.cancel();
  if (!response.ok) throw new Error(`${new URL(address).host} answered ${response.status} to a seal`);
}

async function writeTo(place: string, seal: Seal, secret: string | undefined): Promise<void> {
  const line = sealLine(seal);
  if (place === "-") process.stdout.write(`${line}\n`);
  else if (/^https?:/.test(place)) await post(place, seal, line, secret);
  else await appendFile(place, `${line}\n`, { mode: 0o600 });
}

/** @throws an `Error` where it is no private Ed25519 key */
export function sealKey(pem: string): KeyObject {
  const key = createPrivateKey(pem);
  if (key.asymmetricKeyType !== "ed25519") throw new Error("Seals are signed with an Ed25519 key.");
  return key;
}

const countOf = ({ ids }: Seal): number =>
  rangesOf(ids).reduce((sum, [from, before]) => sum + Number(before - from), 0);

/**
 * Seals what has no seal yet, signs it, and writes it elsewhere.
 *
 * @param unlessSince nothing is sealed where something was so many seconds ago or later
 * @returns the seals that were made, and what went wrong while they were written elsewhere: they stay in the log
 */
export async function sealLog(
  database: Database,
  { privateKey, to = [], secret }: SealOptions = {},
  unlessSince = 0,
): Promise<{ readonly seals: readonly Seal[]; readonly failures: readonly Error[] }> {
  const key = privateKey === undefined ? null : sealKey(privateKey);
  const name = key && keyName(createPublicKey(key));
  const seals: Seal[] = [];
  const failures: Error[] = [];
  const keep = async (seal: Seal): Promise<void> => {
    const signature = key && sign(null, Buffer.from(seal.hash, "hex"), key).toString("base64");
    if (signature && name) await database.run(signSealStatement(seal.number, signature, name));
    const signed = { ...seal, signature, signedBy: name };
    seals.push(signed);
    for (const place of to)
      await writeTo(place, signed, secret).catch((error: unknown) =>
        failures.push(error instanceof Error ? error : new Error(String(error))),
      );
  };
  for (let since = unlessSince; ; since = 0) {
    const made = (await database.run(makeSealsStatement(since))).map(sealOf);
    for (const seal of made) await keep(seal);
    if (made.reduce((sum, seal) => sum + countOf(seal), 0) < mostSealed) return { seals, failures };
  }
}

/** How often it is looked whether something is to be sealed, in milliseconds, and how old the last seal must be for it, in seconds. */
const lookEvery = 300_000;
const sealEvery = 3000;

/** Whether a log can't be sealed here: there is none, it is of another version, or somebody else may. Told of elsewhere. */
const cannotSeal = (error: unknown): boolean =>
  error instanceof DatabaseAway ||
  (error instanceof DatabaseRefusal && /^(3F000|42883|42501|42P01)$/.test(error.sqlState));

/** Seals the log at least once an hour where something changed, for as long as it is not closed. Of several processes one does it. */
export function keepSealed(
  database: Database,
  options: SealOptions,
  onError: (error: unknown) => void,
): { readonly close: () => void } {
  if (options.privateKey !== undefined) sealKey(options.privateKey);
  const look = async (): Promise<void> => {
    try {
      for (const failure of (await sealLog(database, options, sealEvery)).failures) onError(failure);
    } catch (error) {
      if (!cannotSeal(error)) onError(error);
    }
  };
  const timer = setInterval(() => void look(), lookEvery).unref();
  // What an earlier process left without a seal; not at once, since the pages come first.
  const first = setTimeout(() => void look(), 20_000).unref();
  return {
    close: () => {
      clearInterval(timer);
      clearTimeout(first);
    },
  };
}
