import type { Census } from "@loyal-quill/authoring";
import type { CensusAnswer, FeedEvent } from "../api/types.js";
import { Background, type BackgroundState } from "./background.js";
import type { Draft } from "./jobs.js";
import type { Threads } from "./threads.js";

/** How many finished ones are remembered. */
const mostKept = 50;

const answerOf = ({
  given,
  came,
  ...rest
}: BackgroundState<Census | null> & { readonly given: Draft }): CensusAnswer => ({
  ...rest,
  text: given.text,
  census: came,
});

/** Censuses in the background, the last one of each page. */
export class Censuses {
  private readonly jobs: Background<Draft, Census | null>;

  constructor(threads: Pick<Threads, "census">, tell: (event: FeedEvent) => void) {
    this.jobs = new Background(
      (draft, onProgress) => threads.census(draft, onProgress),
      (page, state, done) => tell({ kind: "census", page, state, done }),
      mostKept,
    );
  }

  of(name: string): CensusAnswer | null {
    const found = this.jobs.of(name);
    return found && answerOf(found);
  }

  /** Begins a census of a draft that has no errors; one that is running for it is cancelled. */
  begin(draft: Draft): CensusAnswer {
    return answerOf(this.jobs.begin(draft.name, draft));
  }

  cancel(name: string): void {
    this.jobs.cancel(name);
  }

  close(): void {
    this.jobs.close();
  }
}
