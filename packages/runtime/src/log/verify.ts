import { createPublicKey, verify as verifySignature } from "node:crypto";
import {
  baselinePart,
  beforeTablesStatement,
  type Catalog,
  type Database,
  detailOf,
  type FromElsewhere,
  findTable,
  functionsStatement,
  headsStatement,
  hexOf,
  type LogFinding,
  LogVerifier,
  lastNumberStatement,
  logVersion,
  namesIn,
  ownFunctions,
  type Row,
  rangesOf,
  readCatalog,
  readLogState,
  type Seal,
  type Statement,
  sealsStatement,
  type Upto,
  uptoStatement,
  valuesIn,
  WatchedRows,
  watchedRowsStatement,
  watchedStatement,
  watchFunction,
  watchSettings,
  watchSource,
  wholeEntriesStatement,
  wrongFunctions,
} from "@loyal-quill/core";
import type pg from "pg";
import { overClient } from "../database/over-client.js";
import { setLocally } from "../database/telling.js";
import { bytes, entryOf, sealOf, sha256 } from "./rows.js";

/** What is verified of a log. Without bounds it is the whole, with the rows of watched tables. */
export interface VerifyOptions {
  /** Entries of this time only, as far as their seals go: ISO 8601. */
  readonly from?: string;
  readonly to?: string;
  /** Entries of one record only: `schema.name`, and its key by column. */
  readonly record?: { readonly table: string; readonly key: Readonly<Record<string, string>> };
  /** The public key (PEM, Ed25519) that seals are signed with; signatures are not looked at where it is left out. */
  readonly publicKey?: string;
  /** Seals as they were written elsewhere: lines of JSON. */
  readonly copies?: readonly SealCopy[];
  /** Told how many entries are read, of how many. */
  readonly onProgress?: (read: number, of: number) => void;
  readonly signal?: AbortSignal;
}

/** What of a seal is written elsewhere and held against the log. */
export type SealCopy = Pick<Seal, "number" | "hash">;

export interface VerifyReport {
  /** ISO 8601: the moment as of which the log was read. */
  readonly at: string;
  readonly ms: number;
  readonly counts: LogVerifier["counts"] & { readonly rows: number; readonly tables: number };
  /** What it was held against from elsewhere. */
  readonly outside: FromElsewhere;
  /** The first findings, {@link mostFindings} at most. */
  readonly findings: readonly LogFinding[];
  readonly found: number;
}

/** So many findings are told; all are counted. */
export const mostFindings = 1000;
const batch = 2000;
/** Before every number that an entry may have: whoever puts one in may choose. */
const beforeAll = "-9223372036854775808";

/** A watched table as it was sealed; members of seals of before are missing. */
interface Definition {
  /** The seal's number. */
  readonly sealed?: string;
  readonly number?: string;
  readonly key?: readonly string[];
  readonly columns?: readonly string[];
  readonly hidden?: readonly string[];
  readonly since_id?: string;
  /** The root over the digests of its rows, in hexadecimal digits; null where none are kept. */
  readonly baseline?: string | null;
}

/** The same as the log's own table says, for a log in which it was not sealed yet. */
const fromRow = (row: Row): Definition => ({
  ...(row.number ? { number: row.number } : {}),
  ...(row.since_id ? { since_id: row.since_id } : {}),
  key: namesIn(row.key),
  columns: namesIn(row.columns),
  hidden: namesIn(row.hidden),
  baseline: row.baseline === "true" ? "" : null,
});

/** The root over a baseline, told row by row in the order of their keys (`acts.ts`). */
class BaselineRoot {
  private readonly parts: Uint8Array[] = [];
  private readonly rows: Uint8Array[] = [];

  add(key: string, digest: string): void {
    this.rows.push(sha256(key), bytes(digest));
    if (this.rows.length === 2 * baselinePart) this.parts.push(sha256(...this.rows.splice(0)));
  }

  end(): string {
    if (this.rows.length > 0) this.parts.push(sha256(...this.rows.splice(0)));
    return hexOf(sha256(...this.parts));
  }
}

class Verification {
  private readonly findings: LogFinding[] = [];
  private found = 0;
  private read = 0;

  private readonly database: Database;

  constructor(
    client: pg.ClientBase,
    private readonly options: VerifyOptions,
  ) {
    this.database = overClient(client);
  }

  private async run(statement: Statement): Promise<readonly Row[]> {
    this.options.signal?.throwIfAborted();
    return this.database.run(statement);
  }

  private async command(text: string): Promise<void> {
    await this.run({ purpose: "read the rows", text, values: [] });
  }

  private readonly say = (finding: LogFinding): void => {
    this.found++;
    if (this.findings.length < mostFindings) this.findings.push(finding);
  };

  async report(): Promise<VerifyReport> {
    const begun = performance.now();
    const { from, to, record, publicKey } = this.options;
    const whole = from === undefined && to === undefined && record === undefined;
    const [now] = await this.run({ purpose: "now", text: "SELECT now()::text AS now", values: [] });
    const verifier = new LogVerifier(sha256, { whole, roots: record === undefined }, this.say, this.signed(publicKey));
    const seals = await this.seals();
    const judged = this.judged(seals);
    for (const seal of seals) verifier.seal(seal, judged.has(seal));
    this.holdAgainstCopies(seals);
    const [upto] = await this.run(uptoStatement());
    verifier.sealsEnd(upto ? (upto as unknown as Upto) : null);
    const [last] = await this.run(lastNumberStatement());
    const watched = whole ? await this.watchedTables(seals) : [];
    await this.entries(verifier, watched, this.bounds(judged, whole, last?.last ?? "0"), Number(last?.count ?? 0));
    if (whole) await this.heads(verifier);
    verifier.end(whole);
    let rows = 0;
    for (const each of watched) rows += await this.rowsOf(each);
    return {
      at: new Date(now?.now ?? 0).toISOString(),
      ms: Math.round(performance.now() - begun),
      counts: { ...verifier.counts, rows, tables: watched.length },
      outside: this.outside(),
      findings: this.findings,
      found: this.found,
    };
  }

  private outside(): VerifyReport["outside"] {
    const numbers = (this.options.copies ?? []).map(({ number }) => BigInt(number));
    const last = numbers.reduce<bigint | null>((most, each) => (most === null || each > most ? each : most), null);
    return {
      seals: new Set(numbers).size,
      last: last === null ? null : String(last),
      signatures: this.options.publicKey !== undefined,
    };
  }

  private signed(publicKey: string | undefined) {
    if (publicKey === undefined) return undefined;
    const key = createPublicKey(publicKey);
    return (digest: Uint8Array, signature: string): boolean =>
      verifySignature(null, digest, key, Buffer.from(signature, "base64"));
  }

  private async seals(): Promise<Seal[]> {
    const seals: Seal[] = [];
    for (;;) {
      const rows = await this.run(sealsStatement(seals.at(-1)?.number ?? "0", 1000));
      seals.push(...rows.map(sealOf));
      if (rows.length < 1000) return seals;
    }
  }

  /** The seals over entries that are looked at: all, or those that may be over the asked time. */
  private judged(seals: readonly Seal[]): Set<Seal> {
    const { from, to, record } = this.options;
    const ofEntries = seals.filter(({ kind }) => kind === "entries");
    if (record) return new Set();
    // Entries are sealed after they were made: those of a time are in the seals from its beginning up to the first after its end.
    const lower = from === undefined ? null : new Date(from).toISOString();
    const upper = to === undefined ? null : new Date(to).toISOString();
    const after = upper === null ? undefined : ofEntries.find(({ at }) => at >= upper)?.at;
    return new Set(
      ofEntries.filter(({ at }) => (lower === null || at >= lower) && (after === undefined || at <= after)),
    );
  }

  private bounds(judged: ReadonlySet<Seal>, whole: boolean, last: string): { from: string; upto: string } {
    if (whole || this.options.record) return { from: beforeAll, upto: last };
    const ranges = [...judged].flatMap(({ ids }) => rangesOf(ids));
    if (ranges.length === 0) return { from: "0", upto: this.options.to === undefined ? last : "0" };
    const first = ranges.reduce((least, [from]) => (from < least ? from : least), ranges[0]?.[0] ?? 0n);
    const end = ranges.reduce((most, [, before]) => (before > most ? before : most), 0n);
    return { from: String(first - 1n), upto: this.options.to === undefined ? last : String(end - 1n) };
  }

  private holdAgainstCopies(seals: readonly Seal[]): void {
    const hashes = new Map(seals.map((seal) => [seal.number, seal.hash]));
    for (const { number, hash: kept } of this.options.copies ?? []) {
      const here = hashes.get(number);
      if (here === undefined)
        this.say({ kind: "outside", place: `seal ${number}`, said: "It was kept elsewhere, and is not in the log." });
      else if (here !== kept)
        this.say({
          kind: "outside",
          place: `seal ${number}`,
          said: "The copy that was kept elsewhere has another hash.",
        });
    }
  }

  private async entries(
    verifier: LogVerifier,
    watched: readonly { readonly rows: WatchedRows }[],
    { from, upto }: { from: string; upto: string },
    count: number,
  ): Promise<void> {
    const { record, onProgress } = this.options;
    const scope = record ? { table: record.table, key: JSON.stringify(record.key) } : {};
    const part = (after: string): Promise<readonly Row[]> =>
      this.run(wholeEntriesStatement({ from: after, upto, ...scope }, batch));
    for (let next: Promise<readonly Row[]> | null = part(from); next; ) {
      const rows: readonly Row[] = await next;
      // The next part is read while this one is worked out.
      next = rows.length < batch ? null : part(rows.at(-1)?.id ?? upto);
      // Where this part fails, nobody waits for that one.
      next?.catch(() => {});
      for (const row of rows) {
        const entry = entryOf(row);
        verifier.entry(entry);
        for (const { rows: compared } of watched) compared.entry(entry);
      }
      this.read += rows.length;
      onProgress?.(this.read, count);
    }
  }

  private async heads(verifier: LogVerifier): Promise<void> {
    for (let after: { table: string; key: string } | null = null; ; ) {
      const rows: readonly Row[] = await this.run(headsStatement(after, batch));
      const heads = rows.map(({ table, key, id, hash: kept }) => ({
        table: table ?? "",
        key: key ?? "",
        id: id ?? "",
        hash: kept ?? "",
      }));
      for (const head of heads) verifier.head(head);
      const last = heads.at(-1);
      if (rows.length < batch || !last) return;
      after = { table: last.table, key: last.key };
    }
  }

  /** The definition of a watched table that was sealed last; null where it was sealed that it is watched no more, or never that it is. */
  private definitionIn(seals: readonly Seal[], name: string): Definition | null {
    const last = seals.findLast(({ kind, detail }) => /watched$/.test(kind) && detailOf(detail)?.table === name);
    return last?.kind === "watched" ? { sealed: last.number, ...detailOf(last.detail) } : null;
  }

  /** Holds the log's own functions, and those of watched tables, against what this version makes. */
  private async functions(made: Parameters<typeof functionsStatement>[0]): Promise<void> {
    const { version } = await readLogState(this.database);
    const say = (place: string, said: string): void => this.say({ kind: "function", place, said });
    if (version !== logVersion) {
      say(
        "quill_log",
        `The log is of version ${version}, so its functions can't be held against those of version ${logVersion}. Bring it up to date with: quill log install`,
      );
      return;
    }
    const known = [...ownFunctions, ...made];
    for (const [name, said] of wrongFunctions(await this.run(functionsStatement(known)), known))
      say(`quill_log.${name}`, said);
    for (const { what } of await this.run(beforeTablesStatement()))
      say("quill_log", `This stands before its tables: ${what}.`);
  }

  private async watchedTables(seals: readonly Seal[]) {
    const rows = await this.run(watchedStatement());
    const said = (place: string, text: string): void => this.say({ kind: "watch", place, said: text });
    const names = new Set(
      seals.flatMap(({ kind, detail }) => (kind === "watched" ? String(detailOf(detail)?.table ?? "") : [])),
    );
    for (const name of names)
      if (this.definitionIn(seals, name) && !rows.some(({ table }) => table === name))
        said(name, "It is sealed that it is watched, and the log does not know of it any more.");
    if (rows.length === 0) {
      await this.functions([]);
      return [];
    }
    const catalog: Catalog = await readCatalog(this.database);
    const dropped = seals.filter(({ kind }) => kind === "dropped").flatMap(({ ids }) => rangesOf(ids));
    const functions: Parameters<typeof functionsStatement>[0][number][] = [];
    const found = rows.flatMap((row) => {
      const name = row.table ?? "";
      const definition = this.definitionIn(seals, name);
      if (!definition) said(name, "No seal says that it is watched: somebody wrote that into the log.");
      if (row.off) said(name, `It is not watched as it should be: ${row.off}.`);
      if (row.new_columns)
        said(name, `Columns that it got since are not logged: ${namesIn(row.new_columns).join(", ")}. Watch it again.`);
      const written = { key: row.key, columns: row.columns, hidden: row.hidden };
      const isSealed = definition?.columns !== undefined;
      const way = isSealed ? definition : fromRow(row);
      const isOtherwise =
        isSealed &&
        (definition.number !== row.number ||
          definition.since_id !== row.since_id ||
          (definition.baseline === null) !== (row.baseline !== "true") ||
          Object.entries(written).some(
            ([what, text]) => namesIn(text).join("\n") !== [definition[what as keyof typeof written]].flat().join("\n"),
          ));
      if (isOtherwise) said(name, `How it is watched is not what seal ${definition.sealed} says.`);
      const table = findTable(catalog.tables, name);
      if (!table) {
        if (!row.off) said(name, "Whoever verifies may not read its rows.");
        return [];
      }
      const { key = [], columns = [], hidden = [], since_id: sinceId = "0" } = way;
      functions.push(
        watchFunction(way.number ?? "", watchSource({ table, key, hidden }, [...columns, ...hidden]), watchSettings),
      );
      const complete = dropped.every(([, before]) => before - 1n <= BigInt(sinceId));
      const areThere = columns.every((column) => table.columns.some((each) => each.name === column));
      const watched = {
        table: name,
        key,
        columns: columns.filter((column) => table.columns.some((each) => each.name === column)),
        sinceId,
        hasBaseline: way.baseline !== null && areThere,
      };
      const baseline = isSealed ? (way.baseline ?? null) : null;
      return [{ table, watched, baseline, rows: new WatchedRows(sha256, watched, complete, this.say) }];
    });
    await this.functions(functions);
    return found;
  }

  private async rowsOf({
    table,
    watched,
    baseline,
    rows,
  }: Awaited<ReturnType<Verification["watchedTables"]>>[number]): Promise<number> {
    if (watched.hasBaseline) {
      const root = new BaselineRoot();
      for (let after = ""; ; ) {
        const known = await this.run({
          purpose: "rows as they were",
          text: `SELECT record_key::text AS "key", encode(digest, 'hex') AS "digest" FROM quill_log.baseline
WHERE table_name = $1::text${after === "" ? "" : " AND record_key > $3::jsonb"} ORDER BY record_key LIMIT $2::int`,
          values: [watched.table, String(batch), ...(after === "" ? [] : [after])],
        });
        for (const { key, digest } of known) {
          rows.rowAtFirst(key ?? "", digest ?? "");
          root.add(key ?? "", digest ?? "");
        }
        if (known.length < batch) break;
        after = known.at(-1)?.key ?? "";
      }
      if (baseline !== null && root.end() !== baseline)
        this.say({
          kind: "watch",
          place: watched.table,
          said: "What is kept of its rows as they were when watching began is not what was sealed.",
        });
    }
    const text = watchedRowsStatement({ table, key: watched.key, hidden: [] }, watched.columns, rows.keys());
    await this.command(`DECLARE quill_rows NO SCROLL CURSOR FOR ${text}`);
    let count = 0;
    for (;;) {
      const found = await this.run({ purpose: "read the rows", text: `FETCH ${batch} FROM quill_rows`, values: [] });
      for (const { keys, row } of found) rows.row(namesIn(keys), valuesIn(row));
      count += found.length;
      if (found.length < batch) break;
    }
    await this.command("CLOSE quill_rows");
    rows.end();
    return count;
  }
}

/**
 * Verifies a log, as of one moment: what its entries and seals say is worked out anew, outside of the database.
 *
 * @param client nobody else's meanwhile: its transaction reads only and ends with this
 * @throws what the signal says, where it is given up
 */
export async function verifyLog(client: pg.ClientBase, options: VerifyOptions = {}): Promise<VerifyReport> {
  await client.query("BEGIN ISOLATION LEVEL REPEATABLE READ READ ONLY");
  try {
    // Entries are read in their order by an index, also where PostgreSQL was not told yet how many came lately.
    await client.query(`${setLocally}; SET LOCAL enable_sort = off; SET LOCAL jit = off`);
    return await new Verification(client, options).report();
  } finally {
    await client.query("ROLLBACK");
  }
}
