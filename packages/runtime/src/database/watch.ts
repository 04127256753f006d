import { performance } from "node:perf_hooks";
import pg from "pg";

/** A statement that is under way on a connection. */
interface Underway {
  /** The backend that works on it. */
  readonly pid: number;
  readonly since: number;
  readonly giveUp: (error: Error) => void;
}

/** A statement that takes so long, in milliseconds, is looked after; so often it is looked again. */
const late = 1500;
const every = 1000;

/**
 * A connection of its own to where a pool's go, which gives up after so many milliseconds. What is secret in a pool's options is not copied by
 * spreading them.
 */
export function anotherClient(options: pg.PoolConfig, ms: number): pg.Client {
  const { password } = options;
  const client = new pg.Client({
    ...options,
    ...(password === undefined ? {} : { password }),
    query_timeout: ms,
    connectionTimeoutMillis: ms,
  });
  client.on("error", () => {});
  return client;
}

/**
 * Looks after statements that take long: whether PostgreSQL is still at work on them. A link may have died without a word, with the
 * statement or its answer lost; then the backend is gone, or waits for a command that will never come, and to wait on would block
 * whoever needs the connection. It is asked over a connection of its own, which lives as long as something is late.
 */
export class Watch {
  private readonly underway = new Map<Underway, { idle: number }>();
  private timer: NodeJS.Timeout | undefined;
  private probe: pg.Client | undefined;
  private looking = false;

  constructor(private readonly options: pg.PoolConfig) {}

  add(statement: Underway): void {
    this.underway.set(statement, { idle: 0 });
    this.timer ??= setInterval(() => void this.look(), every).unref();
  }

  remove(statement: Underway): void {
    this.underway.delete(statement);
  }

  /** Nothing is under way: nothing is looked after until something is. */
  private rest(): void {
    clearInterval(this.timer);
    this.timer = undefined;
    this.drop();
  }

  private drop(): void {
    const { probe } = this;
    this.probe = undefined;
    void probe?.end().catch(() => {});
  }

  private async look(): Promise<void> {
    if (this.underway.size === 0) return this.rest();
    const waiting = [...this.underway].filter(([{ since }]) => performance.now() - since > late);
    if (waiting.length === 0 || this.looking) return;
    this.looking = true;
    try {
      const active = await this.active(waiting.map(([{ pid }]) => pid));
      for (const [statement, seen] of waiting) {
        seen.idle = active.has(statement.pid) ? 0 : seen.idle + 1;
        // Twice, since its answer may be on its way at the first time.
        if (seen.idle >= 2) statement.giveUp(new Error("the database is not at work on this statement any more"));
      }
    } catch {
      // The database can't be asked either; the time limits go on.
      this.drop();
    } finally {
      this.looking = false;
      if (this.underway.size === 0) this.drop();
    }
  }

  /** Which of these backends are at work on something. */
  private async active(pids: readonly number[]): Promise<ReadonlySet<number>> {
    if (!this.probe) {
      const probe = anotherClient(this.options, late);
      this.probe = probe;
      await probe.connect();
    }
    const { rows } = await this.probe.query<{ pid: number }>(
      "SELECT pid FROM pg_stat_activity WHERE pid = ANY($1::int[]) AND state = 'active'",
      [pids],
    );
    return new Set(rows.map(({ pid }) => pid));
  }
}
