import { performance } from "node:perf_hooks";
import { type Database, DatabaseRefusal, type Operation, type Statement } from "@loyal-quill/core";
import { NobodyWaits } from "./nobody-waits.js";

/** How a replica stands: it follows, it is too far behind, it can't be asked, or it follows nobody any more. */
export type ReplicaState = "following" | "behind" | "away" | "promoted";

/** What is known of a replica. */
export interface ReplicaReport {
  /** Its address, without user and password. */
  readonly place: string;
  readonly state: ReplicaState;
  /** Milliseconds by which it is behind the primary; null where that is not known. */
  readonly behind: number | null;
  /** How far it has replayed the primary's log, as PostgreSQL writes a `pg_lsn`. */
  readonly position: string | null;
  /** Requests that it answered, and those that went on to the primary since it failed in them. */
  readonly answered: number;
  readonly failed: number;
}

interface GivenReplica {
  readonly place: string;
  readonly database: Database;
  /** Ends its connections. */
  readonly end: () => Promise<void>;
}

interface ReplicaOptions {
  /** How often each is asked how far it is, in milliseconds. */
  readonly lookEvery?: number;
  /** One that is further behind, in milliseconds, is not asked for anything. */
  readonly mostBehind?: number;
  /** Told when one changes its state. */
  readonly onChange?: (report: ReplicaReport) => void;
}

/** What may be read of a replica: what shows records, and starts no save. A form is opened from the primary, whose version of the row is the last one. */
const readThere: ReadonlySet<Operation> = new Set([
  "list",
  "export",
  "view",
  "history",
  "choices",
  "next",
  "previous",
] satisfies Operation[]);

/** Whether an operation may be answered by a replica. */
export const mayReadReplica = (operation: Operation): boolean => readThere.has(operation);

/** A `pg_lsn` as a number (PostgreSQL documentation, 8.20). Null where it is none. */
export function positionOf(text: string | null | undefined): bigint | null {
  const found = /^([\dA-F]{1,8})\/([\dA-F]{1,8})$/i.exec(text ?? "");
  return found ? (BigInt(`0x${found[1]}`) << 32n) | BigInt(`0x${found[2]}`) : null;
}

const asks = (purpose: string, text: string): Statement => ({ purpose, text, values: [] });
const primaryPosition = asks("how far the log is", `SELECT pg_current_wal_insert_lsn()::text AS "position"`);
// No replica can have what the primary has not written yet; and where its log has just begun a page, the insert position is past that page's header already.
const primaryWritten = asks("how far the log is written", `SELECT pg_current_wal_flush_lsn()::text AS "position"`);
const replicaPosition = asks(
  "how far the replica is",
  `SELECT pg_is_in_recovery()::text AS "follows", pg_last_wal_replay_lsn()::text AS "position"`,
);

interface Replica extends GivenReplica {
  state: ReplicaState;
  position: bigint | null;
  told: string | null;
  behind: number | null;
  answered: number;
  failed: number;
  looking: Promise<void> | undefined;
}

const slow = "57014";

/** A replica that does not say within so many milliseconds how far it is, is away: a link may have died without a word. */
const patience = 2000;

async function inTime<Result>(answer: Promise<Result>): Promise<Result> {
  let timer: NodeJS.Timeout | undefined;
  const end = new Promise<never>((_, reject) => {
    timer = setTimeout(() => reject(new Error(`no answer within ${patience} ms`)), patience);
  });
  return Promise.race([answer, end]).finally(() => clearTimeout(timer));
}

/** A database that says which standby it is. */
const at = (standby: string, database: Database): Database => ({
  standby,
  run: (statement) => database.run(statement),
  transaction: (run, purpose) => database.transaction((inside) => run(at(standby, inside)), purpose),
});

/** What stands for a position that could not be asked: no replica has come so far. */
export const unknownPosition = "FFFFFFFF/FFFFFFFF";
const notKnown = positionOf(unknownPosition);

/** Reads from replicas what may be read there, and from the primary wherever one is not there, is behind, or fails. */
export class Replicas {
  private readonly all: Replica[];
  /** When the primary had written how much, the newest last. */
  private readonly marks: { readonly at: number; readonly position: bigint }[] = [];
  private readonly timer: NodeJS.Timeout;
  private readonly mostBehind: number;
  private turn = 0;

  constructor(
    private readonly primary: Database,
    given: readonly GivenReplica[],
    private readonly options: ReplicaOptions = {},
  ) {
    this.mostBehind = options.mostBehind ?? 10_000;
    this.all = given.map((each) => ({
      ...each,
      state: "away",
      position: null,
      told: null,
      behind: null,
      answered: 0,
      failed: 0,
      looking: undefined,
    }));
    this.timer = setInterval(() => void this.look(), options.lookEvery ?? 500).unref();
  }

  reports(): readonly ReplicaReport[] {
    return this.all.map(reportOf);
  }

  /** Asks the primary and all replicas how far they are. */
  async look(): Promise<void> {
    await this.mark();
    await Promise.all(this.all.map((each) => this.lookAt(each)));
  }

  /**
   * How far the primary's log is, after a save: who has saved reads from no replica that has not come so far. Null where that can't be asked;
   * then they read from the primary, until a replica has come as far as it was later.
   */
  position(): Promise<string | null> {
    return this.ofPrimary(primaryPosition);
  }

  private async ofPrimary(statement: Statement): Promise<string | null> {
    const rows = await this.primary.run(statement).catch(() => []);
    return rows[0]?.position ?? null;
  }

  /**
   * What somebody reads from. A replica that was not far enough when it was last asked is asked once more: it is seldom more than a few
   * milliseconds behind.
   *
   * @param seen how far a replica must have come; null where anything will do
   * @returns the primary where no replica will do
   */
  async reading(seen: string | null): Promise<{ readonly database: Database; readonly place: string | null }> {
    const least = positionOf(seen);
    const isAble = ({ state, position }: Replica): boolean =>
      state === "following" && position !== null && (least === null || position >= least);
    let able = this.all.filter(isAble);
    if (able.length === 0 && least !== null && least !== notKnown) {
      const following = this.all.filter(({ state }) => state === "following");
      const asked = following[this.turn % Math.max(1, following.length)];
      if (asked) await this.lookAt(asked);
      able = following.filter(isAble);
    }
    const chosen = able[this.turn++ % Math.max(1, able.length)];
    if (!chosen) return { database: this.primary, place: null };
    chosen.answered++;
    return { database: this.carefully(chosen), place: chosen.place };
  }

  async close(): Promise<void> {
    clearInterval(this.timer);
    await Promise.all(this.all.map(({ end }) => end()));
  }

  /** A replica that is left for the primary as soon as it fails: what is only read can be read again. */
  private carefully(replica: Replica): Database {
    const { primary } = this;
    let over = replica.database;
    const otherwise = async <Result>(run: (database: Database) => Promise<Result>): Promise<Result> => {
      if (over === primary) return run(over);
      try {
        return await run(over);
      } catch (error) {
        const isOwn = error instanceof NobodyWaits || (error instanceof DatabaseRefusal && error.sqlState === slow);
        if (isOwn) throw error;
        over = primary;
        replica.failed++;
        // A refusal may be about what was asked; that it is away is found out at once.
        void this.lookAt(replica);
        return run(primary);
      }
    };
    return {
      get standby() {
        return over === primary ? undefined : replica.place;
      },
      run: (statement) => otherwise((database) => database.run(statement)),
      transaction: (run, purpose) =>
        otherwise((database) =>
          database.transaction((inside) => run(database === primary ? inside : at(replica.place, inside)), purpose),
        ),
    };
  }

  private async mark(): Promise<void> {
    const at = performance.now();
    const position = positionOf(await this.ofPrimary(primaryWritten));
    if (position === null) return;
    this.marks.push({ at, position });
    while ((this.marks[1]?.at ?? at) < at - 2 * this.mostBehind) this.marks.shift();
  }

  /** Asks a replica how far it is; those who ask at the same time hear the same answer. */
  private lookAt(replica: Replica): Promise<void> {
    replica.looking ??= this.ask(replica).finally(() => {
      replica.looking = undefined;
    });
    return replica.looking;
  }

  private async ask(replica: Replica): Promise<void> {
    try {
      const [row] = await inTime(replica.database.run(replicaPosition));
      replica.told = row?.position ?? null;
      replica.position = positionOf(replica.told);
      replica.behind = this.behind(replica.position);
      if (row?.follows !== "true") this.become(replica, "promoted");
      else this.become(replica, (replica.behind ?? 0) > this.mostBehind ? "behind" : "following");
    } catch {
      replica.behind = null;
      this.become(replica, "away");
    }
  }

  /** How long ago the primary was where a replica is now, by this process's clock: neither server's clock says so soundly. */
  private behind(position: bigint | null): number | null {
    const newest = this.marks.at(-1);
    if (position === null || !newest) return null;
    if (position >= newest.position) return 0;
    const passed = this.marks.findLast((mark) => mark.position <= position) ?? this.marks[0];
    return performance.now() - (passed?.at ?? 0);
  }

  private become(replica: Replica, state: ReplicaState): void {
    if (replica.state === state) return;
    replica.state = state;
    this.options.onChange?.(reportOf(replica));
  }
}

const reportOf = ({ place, state, behind, told, answered, failed }: Replica): ReplicaReport => ({
  place,
  state,
  behind: behind === null ? null : Math.round(behind),
  position: told,
  answered,
  failed,
});
