import { execFile, spawn } from "node:child_process";
import { createPrivateKey, createPublicKey, hash, type KeyObject, sign } from "node:crypto";
import { once } from "node:events";
import { appendFile, readFile } from "node:fs/promises";
import process from "node:process";
import { promisify } from "node:util";
import {
  type Database,
  DatabaseAway,
  DatabaseRefusal,
  makeSealsStatement,
  mostSealed,
  noteSentStatement,
  rangesOf,
  type Seal,
  sealsStatement,
  sentStatement,
  signSealStatement,
  unsignedStatement,
} from "@loyal-quill/core";
import { signatureOf } from "../own/webhook.js";
import { keyName, sealOf } from "./rows.js";
import type { SealCopy } from "./verify.js";

/** What is done with seals beside being kept in the log. */
export interface SealOptions {
  /** A private key (PEM, Ed25519) that they are signed with. */
  readonly privateKey?: string;
  /**
   * Where they go as well, each as a line of JSON: a file that is appended to, an `http:` or `https:` address that each is posted to, `| command` that
   * reads each from its standard input and ends with 0, or `-` for standard output.
   */
  readonly to?: readonly string[];
  /** What this log is called where several are sent to one place; a file of its own is written then, `PLACE.NAME`. */
  readonly name?: string;
  /** The secret with which what is posted is signed, as a webhook is. */
  readonly secret?: string;
}

/** A seal as it is written elsewhere: all that its hash is over, the hash, and the signature. */
export const sealLine = (seal: Seal, name?: string): string =>
  JSON.stringify(name === undefined ? seal : { log: name, ...seal });

async function post(
  address: string,
  { number }: Seal,
  line: string,
  { secret, name }: Pick<SealOptions, "secret" | "name">,
): Promise<void> {
  const seconds = Math.floor(Date.now() / 1000);
  const id = `seal-${name === undefined ? "" : `${name}-`}${number}`;
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

/** How long a command may take for a seal, in milliseconds. */
const commandLimit = 30_000;

/** Hands a line to a command of the shell. @throws where it does not end with 0 */
async function pipeTo(command: string, line: string): Promise<void> {
  const child = spawn("/bin/sh", ["-c", command], { stdio: ["pipe", "ignore", "pipe"], timeout: commandLimit });
  let said = "";
  child.stderr.setEncoding("utf8").on("data", (text: string) => {
    said = `${said}${text}`.slice(-500);
  });
  // A command that reads nothing is told of by how it ends.
  child.stdin.on("error", () => {});
  child.stdin.end(`${line}\n`);
  const [code] = (await once(child, "close")) as [number | null];
  if (code !== 0) throw new Error(`the command that takes seals ended with ${code ?? "a signal"}: ${said.trim()}`);
}

/** The file to which the seals of a log go. */
export const sealFile = (place: string, name: string | undefined): string =>
  name === undefined ? place : `${place}.${name}`;

async function writeTo(place: string, seal: Seal, options: Pick<SealOptions, "secret" | "name">): Promise<void> {
  const line = sealLine(seal, options.name);
  if (place === "-") process.stdout.write(`${line}\n`);
  else if (/^https?:/.test(place)) await post(place, seal, line, options);
  else if (isCommand(place)) await pipeTo(place.slice(1), line);
  else await appendFile(sealFile(place, options.name), `${line}\n`, { mode: 0o600 });
}

const isCommand = (place: string): boolean => place.startsWith("|");

/** What a place is called in the log: an address and a command may hold a secret, so they stand there as their digest. */
const nameOf = (place: string): string => {
  const digest = hash("sha256", place, "hex").slice(0, 16);
  if (isCommand(place)) return `command ${digest}`;
  return /^https?:/.test(place) ? `${new URL(place).host} ${digest}` : place;
};

/** The numbers of the seals that a file has already; none where there is no file. */
async function numbersIn(file: string): Promise<ReadonlySet<string>> {
  const text = await readFile(file, "utf8").catch((error: NodeJS.ErrnoException) => {
    if (error.code === "ENOENT") return "";
    throw error;
  });
  return new Set(text.split("\n").flatMap((line) => /"number":"(\d+)"/.exec(line)?.[1] ?? []));
}

/** So much is read of seals that were kept elsewhere, in bytes. */
const mostRead = 268_435_456;

/**
 * Reads the seals that a place has: a file, an address that answers them, or `| command` that writes them, a line of JSON each.
 *
 * @throws an `Error` where it can't be read
 */
async function readPlace(place: string): Promise<string> {
  if (isCommand(place)) {
    const read = promisify(execFile);
    const { stdout } = await read("/bin/sh", ["-c", place.slice(1)], { maxBuffer: mostRead, timeout: 600_000 });
    return stdout;
  }
  if (!/^https?:/.test(place)) return readFile(place, "utf8");
  const response = await fetch(place, { redirect: "error", signal: AbortSignal.timeout(600_000) });
  if (!response.ok) throw new Error(`${new URL(place).host} answered ${response.status}`);
  return response.text();
}

/** The seals that a place has: lines of JSON, among which there may be entries. @throws an `Error` that says where something else stands */
export async function readCopies(place: string): Promise<readonly SealCopy[]> {
  return (await readPlace(place)).split("\n").flatMap((line, index) => {
    if (line.trim() === "") return [];
    try {
      const { type, number, hash: kept } = JSON.parse(line) as Record<string, unknown>;
      if (type === "entry" || type === "cursor") return [];
      if (typeof number === "string" && typeof kept === "string") return [{ number, hash: kept }];
    } catch {
      // Said below.
    }
    throw new Error(`line ${index + 1} is no seal as quill log seal writes it`);
  });
}

/** @throws an `Error` where it is no private Ed25519 key */
export function sealKey(pem: string): KeyObject {
  const key = createPrivateKey(pem);
  if (key.asymmetricKeyType !== "ed25519") throw new Error("Seals are signed with an Ed25519 key.");
  return key;
}

const countOf = ({ ids }: Seal): number =>
  rangesOf(ids).reduce((sum, [from, before]) => sum + Number(before - from), 0);

/** So many seals are read at once to be sent. */
const sentAtOnce = 200;

/** Whether a log keeps no marks: it is of a version before them. */
const hasNoMarks = (error: unknown): boolean =>
  error instanceof DatabaseRefusal && /^(42883|42P01|42501)$/.test(error.sqlState);

/** Sends a place what it lacks: what came since its mark, or all. @throws where it takes no more */
async function sendTo(
  place: string,
  database: Database,
  options: SealOptions,
  { made, all }: { readonly made: readonly Seal[]; readonly all: boolean },
): Promise<void> {
  const name = nameOf(place);
  const file = isCommand(place) || /^https?:/.test(place) ? null : sealFile(place, options.name);
  const [found] = await database.run(sentStatement(name));
  const has = all && file !== null ? await numbersIn(file) : new Set<string>();
  const begins = made[0] ? String(BigInt(made[0].number) - 1n) : (found?.last ?? "0");
  let mark = all ? "0" : (found?.number ?? begins);
  // Where it begins is noted first: what it does not take now is sent at the next occasion.
  if (found?.number == null) {
    await database.run(noteSentStatement(name, mark));
    // It is there from the beginning: whoever looks for it later and finds none knows that it was taken away.
    if (file !== null) await appendFile(file, "", { mode: 0o600 });
  }
  for (;;) {
    const seals = (await database.run(sealsStatement(mark, sentAtOnce))).map(sealOf);
    for (const seal of seals) {
      if (!has.has(seal.number)) await writeTo(place, seal, options);
      mark = seal.number;
      await database.run(noteSentStatement(name, mark));
    }
    if (seals.length < sentAtOnce) return;
  }
}

/**
 * Seals what has no seal yet, signs it, and sends each place what it lacks: what was made now, and what it could not take before.
 *
 * @param unlessSince nothing is sealed where something was so many seconds ago or later
 * @param all whether each place is sent every seal that there is, a file those that it has not
 * @returns the seals that were made, and what went wrong while they were sent: they stay in the log, and are sent at the next occasion
 */
export async function sealLog(
  database: Database,
  options: SealOptions = {},
  unlessSince = 0,
  all = false,
): Promise<{ readonly seals: readonly Seal[]; readonly failures: readonly Error[] }> {
  const { privateKey, to = [] } = options;
  const key = privateKey === undefined ? null : sealKey(privateKey);
  const name = key && keyName(createPublicKey(key));
  let seals: Seal[] = [];
  for (let since = unlessSince; ; since = 0) {
    const made = (await database.run(makeSealsStatement(since))).map(sealOf);
    seals.push(...made);
    if (made.reduce((sum, seal) => sum + countOf(seal), 0) < mostSealed) break;
  }
  if (key && name) {
    const waiting = (await database.run(unsignedStatement())).map(sealOf);
    // Where none was signed so far, those of before stay as they are.
    const isFirst = waiting.some(({ number }) => number === "1");
    for (const seal of isFirst ? seals : waiting) {
      const signature = sign(null, Buffer.from(seal.hash, "hex"), key).toString("base64");
      await database.run(signSealStatement(seal.number, signature, name));
      seals = seals.map((each) => (each.number === seal.number ? { ...each, signature, signedBy: name } : each));
    }
  }
  const failures: Error[] = [];
  for (const place of to) {
    const sending =
      place === "-"
        ? Promise.all(seals.map((seal) => writeTo(place, seal, options)))
        : sendTo(place, database, options, { made: seals, all }).catch(async (error: unknown) => {
            if (!hasNoMarks(error)) throw error;
            for (const seal of seals) await writeTo(place, seal, options);
          });
    await sending.catch((error: unknown) => failures.push(error instanceof Error ? error : new Error(String(error))));
  }
  return { seals, failures };
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
