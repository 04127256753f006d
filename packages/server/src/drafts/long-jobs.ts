import { randomUUID } from "node:crypto";
import { performance } from "node:perf_hooks";
import { type Census, CensusCancelled, takeCensus } from "@loyal-quill/authoring";
import {
  ownCases,
  type Rehearsal,
  type Replayed,
  readCases,
  rehearse,
  replayAll,
  type World,
} from "@loyal-quill/authoring/rehearsal";
import {
  type Actor,
  factsOf,
  handle,
  nobody,
  type Page,
  type RecordedRequest,
  route,
  type Table,
} from "@loyal-quill/core";
import { bindPageFile, connect, readCopies, type VerifyReport, verifyLog } from "@loyal-quill/runtime";
import type { PlayedAnswer } from "../api/answers/proof.js";
import { DeskRefusal } from "./desk-refusal.js";
import { boundPage, type Draft, type Ground } from "./jobs.js";

/** How a job that goes on for long tells how far it is, and hears that it is to end. */
export interface Way {
  readonly isCancelled: () => boolean;
  /** `part` is what came since it was last told. */
  readonly onProgress: (done: number, part?: unknown) => void;
}

interface RehearsalGiven extends Draft {
  readonly quick: boolean;
  readonly people: readonly Actor[];
  /** The page file as it was published, and the table as it was then; null where it never was. */
  readonly published: string | null;
  readonly model: Table | null;
  /** The cases that stand beside the page; null where there are none. */
  readonly cases: string | null;
}

/** One case of a rehearsal that goes on, without its evidence. */
export interface RehearsalPart {
  readonly all: number;
  readonly played: PlayedAnswer;
}

interface ReplayGiven extends Draft {
  readonly requests: readonly RecordedRequest[];
  readonly people: readonly Actor[];
  readonly rowsThen: boolean;
}

const worldOf = ({ loaded, options }: Ground, page: Page): World => ({
  database: options.database,
  signer: options.signer,
  site: { ...loaded, pages: [...loaded.pages.filter(({ name }) => name !== page.name), page] },
  now: () => new Date(),
  newId: randomUUID,
  elapsed: () => performance.now(),
  engine: { route, handle },
});

/** The page as it was published, on the table as it was then. */
function publishedPage({ loaded }: Ground, { name, published, model }: RehearsalGiven): Page | null {
  if (published === null) return null;
  const tables = loaded.catalog.tables.map((table) =>
    model && table.schema === model.schema && table.name === model.name ? model : table,
  );
  return bindPageFile(name, published, { ...loaded, catalog: { ...loaded.catalog, tables } }).page;
}

/** Work that takes as long as it takes: it tells how far it is, and can be cancelled. */
export const longJobs = {
  async census(ground: Ground, draft: Draft, way: Way): Promise<Census | "cancelled" | null> {
    const page = boundPage(ground, draft);
    if (!page) return null;
    try {
      return await takeCensus(page, factsOf(nobody, new Date()), ground.options.database, way);
    } catch (error) {
      if (error instanceof CensusCancelled) return "cancelled";
      throw error;
    }
  },

  async rehearsal(ground: Ground, given: RehearsalGiven, way: Way): Promise<Rehearsal | "cancelled"> {
    const page = boundPage(ground, given);
    if (!page) throw new DeskRefusal("The page has errors", "Put them right first.", 422);
    const own = given.cases === null ? null : readCases(given.cases);
    if (own && "problems" in own)
      throw new DeskRefusal(
        "The page's cases can't be read",
        `${given.name}.cases.yaml, line ${own.problems[0]?.line ?? 1}: ${own.problems[0]?.message ?? ""}`,
        422,
      );
    const came = await rehearse({
      ...worldOf(ground, page),
      page,
      people: given.people,
      quick: given.quick,
      published: publishedPage(ground, given),
      onPlayed: (done, all, { evidence, ...played }) => {
        const part: RehearsalPart = { all, played: { ...played, requests: evidence.length } };
        way.onProgress(done / all, part);
      },
      isCancelled: way.isCancelled,
      ...(own ? { own: ownCases(own.file, given.people) } : {}),
    });
    return came.cancelled ? "cancelled" : came;
  },

  async verification(
    { options }: Ground,
    { seals }: { readonly seals: readonly string[] },
    way: Way,
  ): Promise<VerifyReport | "cancelled"> {
    const pool = connect(options.databaseUrl, 1);
    const given = new AbortController();
    try {
      const client = await pool.connect();
      try {
        // A place that can't be read says nothing of the log, and that is told.
        const unread: string[] = [];
        const read = await Promise.all(
          seals.map((place) =>
            readCopies(place).catch((error: Error) => {
              unread.push(`${place} (${error.message})`);
              return [];
            }),
          ),
        );
        const report = await verifyLog(client, {
          copies: read.flat(),
          signal: given.signal,
          onProgress: (read, of) => {
            way.onProgress(of === 0 ? 1 : Math.min(1, read / of));
            if (way.isCancelled()) given.abort();
          },
        });
        return unread.length === 0 ? report : { ...report, outside: { ...report.outside, unread } };
      } finally {
        client.release(true);
      }
    } catch (error) {
      if (given.signal.aborted) return "cancelled";
      throw error;
    } finally {
      await pool.end();
    }
  },

  async replay(ground: Ground, given: ReplayGiven, way: Way): Promise<readonly Replayed[] | "cancelled"> {
    const page = boundPage(ground, given);
    if (!page) throw new DeskRefusal("The page has errors", "Put them right first.", 422);
    const { people, rowsThen } = given;
    const played = await replayAll(
      given.requests,
      { ...worldOf(ground, page), page, people, rowsThen },
      { onPlayed: way.onProgress, isCancelled: way.isCancelled },
    );
    return way.isCancelled() ? "cancelled" : played;
  },
} as const;

type LongJobs = typeof longJobs;
export type LongJobName = keyof LongJobs;
export type LongGiven<Name extends LongJobName> = Parameters<LongJobs[Name]>[1];
export type LongCame<Name extends LongJobName> = Exclude<Awaited<ReturnType<LongJobs[Name]>>, "cancelled">;
