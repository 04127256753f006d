import { type Database, lastSealStatement, type Row } from "@loyal-quill/core";
import type { VerifyReport } from "@loyal-quill/runtime";
import type { VerificationAnswer } from "../api/answers/changes.js";
import type { FeedEvent } from "../api/types.js";
import type { Store } from "../store/store.js";
import { Background, type Workers } from "./background.js";
import type { Threads } from "./threads.js";

/** The one log of a database. */
const one = "log";

interface VerificationOptions {
  readonly workers: Workers;
  readonly store: Store;
  readonly database: Pick<Database, "run">;
  readonly threads: Pick<Threads, "long">;
  readonly tell: (event: Extract<FeedEvent, { kind: "verification" }>) => void;
  /** Files to which seals are sent, so that the log is held against them. */
  readonly seals: readonly string[];
}

/** Verifying the change log in the background; the last report is kept in the store. */
export class Verifications {
  private readonly jobs: Background<{ readonly by: string }, VerifyReport>;

  constructor(private readonly options: VerificationOptions) {
    const { workers, store, threads, tell, seals } = options;
    this.jobs = new Background("verification", workers, 1, {
      run: ({ by }, onProgress) => {
        const run = threads.long("verification", { seals }, onProgress);
        const kept = run.came.then(async (came) => {
          if (came !== "cancelled") await store.keepVerification(by, came);
          return came;
        });
        return { ...run, came: kept };
      },
      tell: (_name, state, done) => tell({ kind: "verification", state, done }),
    });
  }

  async answer(): Promise<VerificationAnswer> {
    const [last, sealed, job] = await Promise.all([
      this.options.store.lastVerification(),
      this.lastSeal(),
      this.jobs.of(one),
    ]);
    return {
      run: job && job.state !== "done" ? { state: job.state, done: job.done, because: job.because } : null,
      last: last && { by: last.by, report: last.report },
      sealed,
    };
  }

  private async lastSeal(): Promise<VerificationAnswer["sealed"]> {
    const [row] = await this.options.database.run(lastSealStatement()).catch((): Row[] => []);
    return row?.number
      ? {
          number: row.number,
          at: new Date(row.at ?? "").toISOString(),
          isSigned: row.is_signed === "true",
          waiting: Number(row.waiting ?? 0),
        }
      : null;
  }

  async begin(by: string): Promise<VerificationAnswer> {
    if ((await this.jobs.of(one))?.state !== "running") await this.jobs.begin(one, { by });
    return this.answer();
  }

  cancel(): Promise<void> {
    return this.jobs.cancel(one);
  }

  close(): Promise<void> {
    return this.jobs.close();
  }
}
