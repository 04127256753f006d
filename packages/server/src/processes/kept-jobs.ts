import os from "node:os";
import self from "node:process";
import type { InStore } from "../store/in-store.js";

/** Work in the background, as it stands in the store. */
export interface KeptJob {
  readonly name: string;
  /** Which run of it: one that was begun anew since has another. */
  readonly run: string;
  readonly state: "running" | "done" | "cancelled" | "failed";
  readonly done: number;
  readonly begun: Date;
  readonly given: unknown;
  readonly came: unknown;
  readonly because: string | null;
}

/** One whose process has given no sign for so long is taken over by another, in seconds; and where it is seen to live, and is only held up. */
const silentFor = 15;
const heldUpFor = 300;
/** So often one is tried that ends its process. */
const mostTries = 3;

/** A run whose process gives no sign: which it was, and for how long, in seconds. */
interface Silent {
  readonly run: string;
  readonly process: string;
  readonly tries: number;
  /** Null where it has ended in order, or is long gone. */
  readonly host: string | null;
  readonly pid: number | null;
  readonly silent: number;
}

/** Whether a process of this machine lives. */
function isAlive(pid: number): boolean {
  try {
    return self.kill(pid, 0);
  } catch (error) {
    // It is there, and somebody else's.
    return (error as NodeJS.ErrnoException).code === "EPERM";
  }
}

interface JobRow extends Omit<KeptJob, "given" | "came" | "begun"> {
  readonly begun: Date | string;
  readonly given: string;
  readonly came: string | null;
}

const jobOf = ({ begun, given, came, ...rest }: JobRow): KeptJob => ({
  ...rest,
  begun: new Date(begun),
  given: JSON.parse(given),
  came: came === null ? null : JSON.parse(came),
});

const columns = "name, run, state, done, begun, given, came, because";

/** A piece of work is known by its kind and its name. */
interface Named {
  readonly kind: string;
  readonly name: string;
}

/**
 * Work in the background of all processes over one store. Who works on what is a row that its process renews, and not a lock of a session: behind
 * a pooler a session is nobody's own.
 */
export class KeptJobs {
  private readonly database: string;

  constructor(private readonly store: InStore) {
    this.database = store.database;
  }

  private async ask<Found = JobRow>(
    sql: string,
    values: readonly (string | number | boolean | null)[],
  ): Promise<Found[]> {
    return this.store.em().execute<Found[]>(sql, [...values]);
  }

  async of(kind: string, name: string): Promise<KeptJob | null> {
    const [found] = await this.ask(`SELECT ${columns} FROM job WHERE database = ? AND kind = ? AND name = ?`, [
      this.database,
      kind,
      name,
    ]);
    return found ? jobOf(found) : null;
  }

  /** Begins one anew: whoever works on an earlier run of it finds out when it tells how far it is. */
  async begin({ kind, name }: Named, process: string, given: unknown, mostKept: number): Promise<KeptJob> {
    const [made] = await this.ask(
      `INSERT INTO job (database, kind, name, process, given) VALUES (?, ?, ?, ?, ?)
       ON CONFLICT (database, kind, name) DO UPDATE SET run = gen_random_uuid(), process = excluded.process, begun = now(), beat = now(),
         state = 'running', done = 0, given = excluded.given, came = NULL, because = NULL, cancel = false, tries = 1
       RETURNING ${columns}`,
      [this.database, kind, name, process, JSON.stringify(given)],
    );
    await this.ask(
      `DELETE FROM job WHERE database = ? AND kind = ? AND state <> 'running' AND name IN (
         SELECT name FROM job WHERE database = ? AND kind = ? ORDER BY begun DESC OFFSET ?)`,
      [this.database, kind, this.database, kind, mostKept],
    );
    if (!made) throw new Error("a job was not begun");
    return jobOf(made);
  }

  /** Says that a run goes on, and how far it is. @returns whether it may: it was not cancelled, nor begun anew, nor taken over */
  async goesOn(run: string, process: string, done: number): Promise<boolean> {
    const rows = await this.ask<{ cancel: boolean }>(
      "UPDATE job SET beat = now(), done = ? WHERE run = ? AND process = ? AND state = 'running' RETURNING cancel",
      [done, run, process],
    );
    return rows[0]?.cancel === false;
  }

  /** @returns whether it was still this process's to end */
  async end(
    run: string,
    process: string,
    { state, came, because }: Pick<KeptJob, "state" | "came" | "because">,
  ): Promise<boolean> {
    const rows = await this.ask<{ name: string }>(
      `UPDATE job SET state = ?, done = CASE WHEN ? = 'done' THEN 1 ELSE done END, came = ?, because = ?
       WHERE run = ? AND process = ? AND state = 'running' RETURNING name`,
      [state, state, came === null ? null : JSON.stringify(came), because, run, process],
    );
    return rows.length > 0;
  }

  /** Asks whoever works on it to give it up. */
  async cancel(kind: string, name: string): Promise<void> {
    await this.ask("UPDATE job SET cancel = true WHERE database = ? AND kind = ? AND name = ? AND state = 'running'", [
      this.database,
      kind,
      name,
    ]);
  }

  /**
   * Takes over what no other process works on any more. A process of this machine that lives has missed its signs because it is held up: it is given
   * more time. A run whose processes fell silent too often is given up.
   *
   * @param lives whether a process of this machine lives, by its number
   */
  async takeOver(kind: string, process: string, lives: (pid: number) => boolean = isAlive): Promise<KeptJob[]> {
    const silent = await this.ask<Silent>(
      `SELECT j.run, j.process, j.tries, p.host, p.pid, CASE WHEN isfinite(j.beat) THEN extract(epoch FROM now() - j.beat)::float8 ELSE 1000000000 END AS silent
       FROM job AS j LEFT JOIN process AS p ON p.id = j.process
       WHERE j.database = ? AND j.kind = ? AND j.state = 'running' AND j.beat < now() - interval '${silentFor} seconds'`,
      [this.database, kind],
    );
    const taken: KeptJob[] = [];
    for (const { run, process: by, tries, host, pid, silent: since } of silent) {
      const isHeldUp = host === os.hostname() && pid !== null && lives(pid) && since < heldUpFor;
      if (isHeldUp || (by === process && tries < mostTries)) continue;
      const where = host === null ? "" : ` (${pid} on ${host})`;
      const because =
        host === null
          ? "The process that worked on it ended"
          : `The process that worked on it${where} gave no sign for ${Math.round(since)} seconds`;
      const rows = await this.ask(
        tries >= mostTries
          ? `UPDATE job SET state = 'failed', because = ? WHERE run = ? AND process = ? AND state = 'running' AND beat < now() - interval '${silentFor} seconds' RETURNING ${columns}`
          : `UPDATE job SET process = ?, beat = now(), tries = tries + 1 WHERE run = ? AND process = ? AND state = 'running' AND beat < now() - interval '${silentFor} seconds' RETURNING ${columns}`,
        [
          tries >= mostTries ? `${because}, and so did ${tries - 1} before it. It is not tried again.` : process,
          run,
          by,
        ],
      );
      if (tries < mostTries) taken.push(...rows.map(jobOf));
    }
    return taken;
  }

  /** Lets go of what this process works on, so that another one goes on with it at once. */
  async letGo(kind: string, process: string): Promise<void> {
    await this.ask(
      "UPDATE job SET beat = '-infinity', tries = 1 WHERE database = ? AND kind = ? AND process = ? AND state = 'running'",
      [this.database, kind, process],
    );
  }
}
