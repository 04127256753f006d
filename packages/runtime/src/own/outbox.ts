import {
  type Database,
  doneStatement,
  outboxUsableStatement,
  type SavedEvent,
  saidBy,
  takeStatement,
  undoneStatement,
} from "@loyal-quill/core";
import { type AnySteps, limited, usualLimit } from "./steps.js";

/** So many are taken at once, one after the other. */
const most = 20;

/** After so many tries something is given up: with waits that double up to an hour, that is about two days. */
export const mostTries = 60;

/** Milliseconds between two looks, where nothing says that there is something. */
const every = 5_000;

/** Seconds until something is tried again. */
export const waitAfter = (tries: number): number => Math.min(3600, 2 ** Math.min(tries, 12));

export interface OutboxOptions {
  readonly database: Database;
  /** The steps of the pages that keep what is to be done, by the name of the page file: asked at each look. */
  readonly steps: () => ReadonlyMap<string, AnySteps>;
  /** Told of every try that failed. */
  readonly onError: (error: unknown) => void;
}

/** What is left to be done after a save failed: told with its page and its entry in the log. */
export class AfterSaveFailed extends Error {
  override readonly name = "AfterSaveFailed";
}

/**
 * Does what stands in the outbox, the oldest first. Several processes may look at the same time: each takes what no other has taken. What a
 * process took and did not do, since it ended, is due again after a while.
 */
export class Outbox {
  private timer: NodeJS.Timeout | undefined;
  private working: Promise<void> | null = null;
  private again = false;
  private closed = false;

  constructor(private readonly options: OutboxOptions) {
    this.timer = setInterval(() => this.look(), every).unref();
  }

  /** Looks whether something is due. */
  look(): void {
    if (this.closed) return;
    if (this.working) {
      this.again = true;
      return;
    }
    this.working = this.work().finally(() => {
      this.working = null;
      if (this.again) {
        this.again = false;
        this.look();
      }
    });
  }

  /** @throws where a page needs an outbox and there is none */
  async judge(): Promise<void> {
    if (this.options.steps().size === 0) return;
    const [row] = await this.options.database.run(outboxUsableStatement());
    if (row?.usable !== "true")
      throw new Error(
        `${[...this.options.steps().keys()].join(", ")} keep what is to be done after a save in the outbox, and this database has none that the connection may use. Bring the change log up to date as the database's owner, with: quill log install --database URL --for ROLE`,
      );
  }

  /** Ends; what is being done is done to its end. */
  async close(): Promise<void> {
    this.closed = true;
    clearInterval(this.timer);
    await this.working;
  }

  private async work(): Promise<void> {
    const { database, steps, onError } = this.options;
    const pages = steps();
    if (pages.size === 0) return;
    const longest = Math.max(...[...pages.values()].map((each) => each.limit ?? usualLimit));
    try {
      for (;;) {
        // Long enough for all that are taken at once, so that nobody else takes one that is only waiting for its turn.
        const lease = 30 + (longest * most) / 1000;
        const taken = await database.run(takeStatement([...pages.keys()], most, lease));
        for (const row of taken)
          await this.attempt({
            id: row.id ?? "",
            steps: pages.get(row.page ?? ""),
            event: JSON.parse(row.event ?? "null") as SavedEvent,
            attempt: Number(row.tries),
          });
        if (taken.length < most || this.closed) return;
      }
    } catch (error) {
      // The database is away: it is looked again.
      onError(error);
    }
  }

  private async attempt({ id, steps, event, attempt }: Kept): Promise<void> {
    const { database, onError } = this.options;
    try {
      await limited(steps?.limit ?? usualLimit, (signal) => steps?.afterSave?.({ ...event, attempt, signal }));
    } catch (error) {
      const said = saidBy(error);
      const again = attempt >= mostTries ? null : waitAfter(attempt);
      const then = again === null ? "it is given up" : `it is tried again in ${again} s`;
      const failed = new AfterSaveFailed(
        `afterSave of ${event.page} failed for entry ${event.entry}, try ${attempt}: ${said}; ${then}`,
        { cause: error },
      );
      // Who hears of it finds it in the outbox as it was said.
      await database.run(undoneStatement(id, said.slice(0, 2000), again)).finally(() => onError(failed));
      return;
    }
    await database.run(doneStatement(id));
  }
}

interface Kept {
  readonly id: string;
  readonly steps: AnySteps | undefined;
  readonly event: SavedEvent;
  readonly attempt: number;
}
