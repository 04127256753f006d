import type { Census, CensusSoFar } from "@loyal-quill/authoring";
import type { CensusAnswer } from "../api/answers/proof.js";
import type { FeedEvent } from "../api/types.js";
import { Background, type BackgroundState, type Workers } from "./background.js";
import type { Draft } from "./jobs.js";
import type { Threads } from "./threads.js";

/** How many finished ones are remembered. */
const mostKept = 50;

const answerOf = ({
  given,
  came,
  soFar,
  ...rest
}: BackgroundState<Census | null> & { readonly given: Draft }): CensusAnswer => ({
  ...rest,
  text: given.text,
  census: came,
  soFar: (soFar.at(-1) as CensusSoFar | undefined) ?? null,
});

/** Censuses in the background, the last one of each page. */
export class Censuses {
  private readonly jobs: Background<Draft, Census | null>;

  constructor(
    workers: Workers,
    threads: Pick<Threads, "census">,
    tell: (event: Extract<FeedEvent, { kind: "census" }>) => void,
  ) {
    this.jobs = new Background("census", workers, mostKept, {
      run: (draft, onProgress) => threads.census(draft, onProgress),
      tell: (page, state, done) => tell({ kind: "census", page, state, done }),
    });
  }

  async of(name: string): Promise<CensusAnswer | null> {
    const found = await this.jobs.of(name);
    return found && answerOf(found);
  }

  /** Begins a census of a draft that has no errors; one that is running for it is cancelled. */
  async begin(draft: Draft): Promise<CensusAnswer> {
    return answerOf(await this.jobs.begin(draft.name, draft));
  }

  cancel(name: string): Promise<void> {
    return this.jobs.cancel(name);
  }

  close(): Promise<void> {
    return this.jobs.close();
  }
}
