import { readFile } from "node:fs/promises";
import process from "node:process";
import { beyondVerifying, logFindingKinds } from "@loyal-quill/core";
import {
  readCopies,
  type SealCopy,
  sealLine,
  sealLog,
  type VerifyOptions,
  type VerifyReport,
  verifyLog,
} from "@loyal-quill/runtime";
import type { Say } from "../cluster/cluster.js";
import { CannotStart } from "../listen.js";
import { onConnection } from "../log-client.js";
import { withDatabase } from "../open-database.js";

interface LogVerifyOptions extends Pick<VerifyOptions, "from" | "to"> {
  readonly database: string;
  readonly table: string | undefined;
  readonly key: Readonly<Record<string, string>>;
  /** The file of the public key. */
  readonly publicKey: string | undefined;
  /** Where seals were kept: files, addresses, `| command`. */
  readonly seals: readonly string[];
  readonly json: boolean;
}

const placeOf = (place: string): Promise<readonly SealCopy[]> =>
  readCopies(place).catch((error: unknown) => {
    throw new CannotStart(`The seals of ${place} can't be read: ${(error as Error).message}`);
  });

const fileOf = (file: string): Promise<string> =>
  readFile(file, "utf8").catch(() => {
    throw new CannotStart(`${file} can't be read.`);
  });

const numbered = (count: number, one: string, more: string): string =>
  `${count.toLocaleString("en")} ${count === 1 ? one : more}`;

function tell({ counts, outside, findings, found, ms }: VerifyReport, say: Say): void {
  say(beyondVerifying(outside));
  for (const { kind, place, said } of findings) say(`${place}: ${logFindingKinds[kind]}. ${said}`);
  if (found > findings.length) say(`… and ${found - findings.length} more.`);
  say(
    [
      numbered(counts.entries, "entry", "entries"),
      ...(counts.unsealed > 0 ? [`${counts.unsealed.toLocaleString("en")} of them not sealed yet`] : []),
      numbered(counts.seals, "seal", "seals"),
      ...(counts.erased > 0 ? [`values erased from ${numbered(counts.erased, "entry", "entries")}`] : []),
      ...(counts.dropped > 0 ? [numbered(counts.dropped, "entry dropped", "entries dropped")] : []),
      ...(counts.tables > 0
        ? [`${numbered(counts.rows, "row", "rows")} of ${numbered(counts.tables, "watched table", "watched tables")}`]
        : []),
      `${(ms / 1000).toFixed(1)} s`,
    ].join(", "),
  );
  say(found === 0 ? "Nothing is wrong with it." : `${numbered(found, "finding", "findings")}.`);
}

/**
 * `quill log verify`.
 *
 * @returns the exit code: 1 where something was found
 * @throws CannotStart where the log has nothing of the record that was named
 */
export async function verify(options: LogVerifyOptions, say: Say): Promise<number> {
  const { table, key, from, to, publicKey, seals } = options;
  if ((table === undefined) !== (Object.keys(key).length === 0))
    throw new CannotStart("A record is named by its table and its key: --table network.station --key code=MV-022.");
  for (const moment of [from, to])
    if (moment !== undefined && Number.isNaN(Date.parse(moment)))
      throw new CannotStart(`${moment} is no moment: write it like 2026-03-01 or 2026-03-01T09:30:00Z.`);
  const isTerminal = process.stderr.isTTY === true && !options.json;
  const given: VerifyOptions = {
    ...(from === undefined ? {} : { from }),
    ...(to === undefined ? {} : { to }),
    ...(table === undefined ? {} : { record: { table, key } }),
    ...(publicKey === undefined ? {} : { publicKey: await fileOf(publicKey) }),
    ...(seals.length === 0 ? {} : { copies: (await Promise.all(seals.map(placeOf))).flat() }),
    ...(isTerminal ? { onProgress: (read, of) => process.stderr.write(`\r${read} of ${of} entries`) } : {}),
  };
  const report = await onConnection(options.database, (client) => verifyLog(client, given)).catch((error: unknown) => {
    if ((error as { code?: string }).code === "42501" || (error as { code?: string }).code === "42P01")
      throw new CannotStart(
        `The log can't be read: ${(error as Error).message}. Grant it with: quill log install --read-by ROLE`,
      );
    throw error;
  });
  if (isTerminal) process.stderr.write("\r\x1b[K");
  // A name that was mistyped must not pass as a record with which nothing is wrong.
  if (table !== undefined && report.counts.entries === 0) {
    const named = Object.entries(key).map(([column, value]) => `${column}=${value}`);
    throw new CannotStart(`The log has no entry of ${table} with ${named.join(", ")}, so nothing was verified.`);
  }
  if (options.json) say(JSON.stringify(report));
  else tell(report, say);
  return report.found === 0 ? 0 : 1;
}

interface LogSealOptions {
  readonly database: string;
  /** A private key, PEM. */
  readonly privateKey: string | undefined;
  readonly to: readonly string[];
  readonly secret: string | undefined;
  /** Whether each place is sent all seals that it lacks, those of before it was named included. */
  readonly all?: boolean;
}

/** `quill log seal`: seals what has no seal yet, and sends places what they lack. @returns the exit code: 1 where a place did not take a seal */
export async function seal(
  { database, privateKey, to, secret, all = false }: LogSealOptions,
  say: Say,
): Promise<number> {
  const given = {
    to,
    ...(privateKey === undefined ? {} : { privateKey }),
    ...(secret === undefined ? {} : { secret }),
  };
  const { seals, failures } = await withDatabase(database, (opened) => sealLog(opened, given, 0, all));
  if (seals.length === 0) say("There is nothing new to be sealed.");
  for (const made of seals) if (!to.includes("-")) say(sealLine(made));
  for (const failure of failures)
    process.stderr.write(`A seal could not be sent: ${failure.message}. It is sent at the next occasion.\n`);
  return failures.length === 0 ? 0 : 1;
}
