import { randomUUID } from "node:crypto";
import os from "node:os";
import process from "node:process";
import { backendTold, connectionTo } from "@loyal-quill/runtime";
import pg from "pg";
import type { ProcessReport } from "../api/answers/database.js";
import type { FeedEvent } from "../api/types.js";
import { connectionLimits } from "../store/connection.js";
import { channel } from "../store/told-to-all.js";

/** What one process tells the others: what its feed says, requests by their ids, and that a page was published. */
export type Told =
  | Exclude<FeedEvent, { kind: "request" } | { kind: "pages" }>
  | { readonly kind: "requests"; readonly ids: readonly string[] }
  | { readonly kind: "published"; readonly page: string };

interface ExchangeOptions {
  /** The store's address without a pooler before it, where there is one: what is told is heard over it at once, and else within a second. */
  readonly direct?: string | undefined;
  readonly version: string;
  readonly onError: (error: unknown) => void;
}

/** What is told is gathered for so long, and kept for so long; in milliseconds. */
const together = 30;
const keptFor = "5 minutes";
/** How often others are looked after, and how old the last sign of one may be. */
const beatEvery = 5_000;
const aliveFor = "20 seconds";
/** How often it is looked what was told, where nobody says when; and where somebody does, should a word be lost. */
const pollEvery = { alone: 1_000, told: 10_000 };
/** Numbers are given before they can be seen: so many before the last one are looked at again. */
const overlap = 200;

type Heard = (told: Told) => void;

/**
 * What the processes over one store tell each other. It stands in a table of the store, so that nothing is too long and nothing is lost while
 * somebody is away for a moment; NOTIFY only says that there is something (PostgreSQL documentation, NOTIFY).
 */
export class Exchange {
  readonly id = randomUUID();
  private readonly pool: pg.Pool;
  private readonly listeners = new Map<string, Set<Heard>>();
  private readonly waiting: { readonly database: string; readonly told: Told }[] = [];
  private flushing: NodeJS.Timeout | undefined;
  private readonly beats: NodeJS.Timeout;
  private polling: NodeJS.Timeout | undefined;
  private listening: pg.Client | undefined;
  /** A connection to listen on that is being made: there is one at most. */
  private begun: Promise<void> | undefined;
  private reading: Promise<void> | undefined;
  private again = false;
  private last = "0";
  private readonly seen = new Set<string>();
  private known: readonly ProcessReport[] = [];
  private closed = false;

  private constructor(
    private readonly url: string,
    private readonly options: ExchangeOptions,
  ) {
    this.pool = new pg.Pool({ ...connectionTo(url), max: 2, ...connectionLimits });
    this.pool.on("error", () => {});
    this.beats = setInterval(() => void this.beat(), beatEvery).unref();
  }

  /** Takes part in the exchange over a store whose tables are there. */
  static async open(url: string, options: ExchangeOptions): Promise<Exchange> {
    const made = new Exchange(url, options);
    // What stands there already is no news to it.
    const { rows } = await made.pool.query<{ id: string }>(
      "SELECT id::text FROM happening ORDER BY happening.id DESC LIMIT $1::bigint",
      [2 * overlap],
    );
    made.last = rows[0]?.id ?? "0";
    for (const { id } of rows) made.seen.add(id);
    // It listens from its first sign on.
    await made.beat();
    made.poll();
    return made;
  }

  /** All processes that are there, this one first. */
  processes(): readonly ProcessReport[] {
    return this.known;
  }

  /** Whether there is anybody else to tell. */
  get hasOthers(): boolean {
    return this.known.length > 1;
  }

  /** How what others tell is heard: at once, or by looking. */
  get hears(): "at once" | "by looking" {
    return this.listening ? "at once" : "by looking";
  }

  /** Tells the others, with what else is told within a moment. */
  tell(database: string, told: Told): void {
    if (this.closed) return;
    this.waiting.push({ database, told });
    this.flushing ??= setTimeout(() => void this.flush(), together).unref();
  }

  /** @param heard told of what another process tells of a database. @returns what ends it */
  hear(database: string, heard: Heard): () => void {
    const all = this.listeners.get(database) ?? new Set();
    this.listeners.set(database, all);
    all.add(heard);
    return () => void all.delete(heard);
  }

  async close(): Promise<void> {
    this.closed = true;
    clearInterval(this.beats);
    clearInterval(this.polling);
    await Promise.all([this.flush(), this.begun]);
    await this.pool.query("DELETE FROM process WHERE id = $1", [this.id]).catch(() => {});
    await Promise.all([this.listening?.end().catch(() => {}), this.reading, this.pool.end()]);
  }

  private async flush(): Promise<void> {
    clearTimeout(this.flushing);
    this.flushing = undefined;
    const all = this.waiting.splice(0);
    if (all.length === 0) return;
    const rows = JSON.stringify(all);
    try {
      await this.pool.query(
        `WITH told AS (
           INSERT INTO happening (process, database, told)
           SELECT $1::uuid, e->>'database', e->'told' FROM jsonb_array_elements($2::jsonb) AS e RETURNING id
         ) SELECT pg_notify('${channel}', max(id)::text) FROM told`,
        [this.id, rows],
      );
    } catch (error) {
      // A store that is away: what others missed they see when they look at it themselves.
      this.options.onError(error);
    }
  }

  private async beat(): Promise<void> {
    try {
      const { rows } = await this.pool.query<Omit<ProcessReport, "since"> & { since: Date }>(
        `WITH me AS (
           INSERT INTO process (id, host, pid, version) VALUES ($1, $2, $3, $4)
           ON CONFLICT (id) DO UPDATE SET beat = now() RETURNING id, host, pid, version, since
         ), gone AS (DELETE FROM process WHERE beat < now() - interval '${aliveFor}'),
         old AS (DELETE FROM happening WHERE at < now() - interval '${keptFor}')
         SELECT id, host, pid, version, since, true AS "isThis" FROM me UNION ALL
         SELECT id, host, pid, version, since, false FROM process WHERE id <> $1 AND beat >= now() - interval '${aliveFor}' ORDER BY 6 DESC, 5`,
        [this.id, os.hostname(), process.pid, this.options.version],
      );
      this.known = rows.map(({ since, ...rest }) => ({ ...rest, since: since.toISOString() }));
    } catch {
      // The store is away: the next time.
    }
    if (!this.listening && !this.closed) {
      this.begun ??= this.listenAnew().finally(() => {
        this.begun = undefined;
      });
      await this.begun;
    }
  }

  /**
   * Listens on a connection of its own. Behind a pooler in transaction mode nothing would be heard: where the backend is none that the server told
   * of, there is one, and it is looked from time to time instead.
   */
  private async listenAnew(): Promise<void> {
    const client = new pg.Client({ ...connectionTo(this.options.direct ?? this.url), ...connectionLimits });
    const end = (): void => {
      if (this.listening !== client) return;
      this.listening = undefined;
      this.poll();
    };
    client.on("error", end);
    client.on("end", end);
    client.on("notification", () => void this.read());
    try {
      await client.connect();
      const { rows } = await client.query<{ pid: number }>("SELECT pg_backend_pid() AS pid");
      if (this.closed || rows[0]?.pid !== backendTold(client)) return void client.end().catch(() => {});
      await client.query(`LISTEN ${channel}`);
      this.listening = client;
      this.poll();
      await this.read();
    } catch {
      await client.end().catch(() => {});
    }
  }

  private poll(): void {
    clearInterval(this.polling);
    if (this.closed) return;
    const every = this.listening ? pollEvery.told : pollEvery.alone;
    this.polling = setInterval(() => void this.read(), every).unref();
  }

  /** Reads what was told since; once more where something came meanwhile. */
  private read(): Promise<void> {
    this.again = true;
    this.reading ??= (async () => {
      while (this.again && !this.closed) {
        this.again = false;
        await this.readOnce().catch(() => {});
      }
      this.reading = undefined;
    })();
    return this.reading;
  }

  private async readOnce(): Promise<void> {
    const { rows } = await this.pool.query<{ id: string; process: string; database: string; told: Told }>(
      "SELECT id::text, process, database, told FROM happening WHERE id > $1::bigint - $2::bigint ORDER BY happening.id",
      [this.last, overlap],
    );
    for (const { id, process: from, database, told } of rows) {
      if (this.seen.has(id)) continue;
      this.seen.add(id);
      if (BigInt(id) > BigInt(this.last)) this.last = id;
      if (from === this.id) continue;
      // Accounts are shared by all databases.
      const listeners = told.kind === "people" ? [...this.listeners.values()] : [this.listeners.get(database) ?? []];
      for (const all of listeners) for (const heard of all) heard(told);
    }
    const gone = BigInt(this.last) - BigInt(2 * overlap);
    for (const id of this.seen) if (BigInt(id) < gone) this.seen.delete(id);
  }
}
