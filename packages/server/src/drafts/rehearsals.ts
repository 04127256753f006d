import { readFile } from "node:fs/promises";
import path from "node:path";
import type { Played, Rehearsal, Replayed } from "@loyal-quill/authoring/rehearsal";
import type { RecordedRequest } from "@loyal-quill/core";
import type { PlayedAnswer, RehearsalAnswer, ReplayAnswer } from "../api/answers/proof.js";
import type { FeedEvent } from "../api/types.js";
import type { RequestQuery } from "../store/kept-requests.js";
import type { Store } from "../store/store.js";
import { Background, type BackgroundState, type OnProgress, type Run, type Workers } from "./background.js";
import type { Desk } from "./desk.js";
import { DeskRefusal } from "./desk-refusal.js";
import type { Draft } from "./jobs.js";
import type { RehearsalPart } from "./long-jobs.js";
import type { Threads } from "./threads.js";

/** What is done before a page is published: nothing; a rehearsal that is told of; or one without whose success nothing is published. */
export const onPublishModes = ["off", "warn", "refuse"] as const;
export type OnPublish = (typeof onPublishModes)[number];

/** How many finished ones are remembered: with all their evidence they are large. */
const mostKept = 10;
/** Requests that are played again at once. */
export const mostReplayed = 1000;
/** They are handed to a thread in parts of so many: each comes with its body. */
const replayPart = 100;

interface RehearsalAsked extends Draft {
  readonly quick: boolean;
  readonly of: RehearsalAnswer["of"];
}

/** Which requests are played again: by id, or all that a query finds. */
interface ReplayAsked extends Draft {
  readonly ids: readonly string[];
  readonly rowsThen: boolean;
}

interface Parts {
  readonly workers: Workers;
  readonly threads: Threads;
  readonly store: Store;
  readonly desk: Desk;
  readonly directory: string;
  readonly tell: (event: Extract<FeedEvent, { kind: "rehearsal" | "replay" }>) => void;
}

/** The cases that a developer has put beside a page's file; null where there are none. */
async function ownCasesOf(file: string): Promise<string | null> {
  try {
    return await readFile(file, "utf8");
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === "ENOENT") return null;
    throw new DeskRefusal("Own cases can't be read", `${path.basename(file)} can't be read by the server.`, 422);
  }
}

const short = ({ evidence, ...rest }: Played): PlayedAnswer => ({ ...rest, requests: evidence.length });

function rehearsalAnswer({
  given,
  came,
  soFar,
  ...rest
}: BackgroundState<Rehearsal> & { readonly given: RehearsalAsked }): RehearsalAnswer {
  const parts = soFar as readonly RehearsalPart[];
  const rehearsal = came && { ...came, cases: came.cases.map(short), changed: came.changed.map(short) };
  const played = parts.map((part) => part.played);
  return {
    ...rest,
    text: given.text,
    of: given.of,
    quick: given.quick,
    rehearsal,
    soFar: { all: parts[0]?.all ?? 0, played },
  };
}

const replayAnswer = ({
  given,
  came,
  soFar: _,
  ...rest
}: BackgroundState<readonly Replayed[]> & { readonly given: ReplayAsked }): ReplayAnswer => ({
  ...rest,
  text: given.text,
  asked: given.ids.length,
  played: came?.map(({ recorded: _, ...each }) => each) ?? null,
});

/** Rehearsals and replays of drafts, in the background: the last ones of each page. */
export class Rehearsals {
  private readonly rehearsals: Background<RehearsalAsked, Rehearsal>;
  private readonly replays: Background<ReplayAsked, readonly Replayed[]>;

  constructor(private readonly parts: Parts) {
    const { tell, workers } = parts;
    this.rehearsals = new Background("rehearsal", workers, mostKept, {
      run: (asked, onProgress) => this.rehearse(asked, onProgress),
      tell: (page, state, done) => tell({ kind: "rehearsal", page, state, done }),
    });
    this.replays = new Background("replay", workers, mostKept, {
      run: (asked, onProgress) => this.replay(asked, onProgress),
      tell: (page, state, done) => tell({ kind: "replay", page, state, done }),
    });
  }

  async of(name: string): Promise<RehearsalAnswer | null> {
    const found = await this.rehearsals.of(name);
    return found && rehearsalAnswer(found);
  }

  async begin(asked: Omit<RehearsalAsked, "of">): Promise<RehearsalAnswer> {
    const { draft, published } = await this.parts.desk.text(asked.name).catch(() => ({ draft: null, published: null }));
    const of: RehearsalAnswer["of"] =
      asked.text === published
        ? { is: "published" }
        : { is: "draft", revision: draft?.text === asked.text ? draft.revision : null };
    return rehearsalAnswer(await this.rehearsals.begin(asked.name, { ...asked, of }));
  }

  cancel(name: string): Promise<void> {
    return this.rehearsals.cancel(name);
  }

  /** A case with its evidence. */
  async caseOf(name: string, id: string): Promise<Played | null> {
    const came = (await this.rehearsals.of(name))?.came;
    return [...(came?.cases ?? []), ...(came?.changed ?? [])].find((each) => each.id === id) ?? null;
  }

  /**
   * The quick rehearsal of a text, now: the last one, where it was of the same text.
   *
   * @throws DeskRefusal where it can't be rehearsed
   */
  async quick(draft: Draft): Promise<Rehearsal> {
    const last = await this.rehearsals.of(draft.name);
    if (last?.came && last.given.text === draft.text) return last.came;
    const came = await this.rehearse({ ...draft, quick: true, of: { is: "published" } }, () => {}).came;
    if (came === "cancelled") throw new DeskRefusal("Not rehearsed", "The rehearsal was cancelled.", 409);
    return came;
  }

  async replayOf(name: string): Promise<ReplayAnswer | null> {
    const found = await this.replays.of(name);
    return found && replayAnswer(found);
  }

  async beginReplay(
    draft: Draft,
    which: { readonly ids: readonly string[] } | { readonly query: RequestQuery },
    rowsThen: boolean,
  ): Promise<ReplayAnswer> {
    const { store } = this.parts;
    const ids =
      "ids" in which ? which.ids : await store.requests.ids({ ...which.query, page: draft.name }, mostReplayed);
    return replayAnswer(await this.replays.begin(draft.name, { ...draft, ids, rowsThen }));
  }

  cancelReplay(name: string): Promise<void> {
    return this.replays.cancel(name);
  }

  /** What a request came to when it was played again, in full. */
  async replayed(name: string, id: string): Promise<Replayed | null> {
    return (await this.replays.of(name))?.came?.find((each) => each.id === id) ?? null;
  }

  async close(): Promise<void> {
    await Promise.all([this.rehearsals.close(), this.replays.close()]);
  }

  private rehearse(asked: RehearsalAsked, onProgress: OnProgress): Run<Rehearsal> {
    const { threads, store, desk, directory } = this.parts;
    return later(async (began) => {
      const [{ published }, people, versions, cases] = await Promise.all([
        desk.text(asked.name).catch(() => ({ published: null })),
        store.accounts.people(),
        store.versions.last(),
        ownCasesOf(path.join(directory, `${asked.name}.cases.yaml`)),
      ]);
      const model = versions.find(({ page }) => page === asked.name)?.model ?? null;
      return began(threads.long("rehearsal", { ...asked, published, people, model, cases }, onProgress));
    });
  }

  private replay({ ids, rowsThen, ...draft }: ReplayAsked, onProgress: OnProgress): Run<readonly Replayed[]> {
    const { threads, store } = this.parts;
    return later(async (began) => {
      const people = await store.accounts.people();
      const played: Replayed[] = [];
      for (let begun = 0; begun < ids.length; begun += replayPart) {
        const found = await Promise.all(ids.slice(begun, begun + replayPart).map((id) => store.requests.one(id)));
        const requests = found.filter((each): each is RecordedRequest => each !== null);
        if (requests.length === 0) continue;
        const part = await began(
          threads.long("replay", { ...draft, requests, people, rowsThen }, (done) =>
            onProgress(Math.min(1, (begun + done * requests.length) / ids.length)),
          ),
        );
        if (part === "cancelled") return part;
        played.push(...part);
      }
      return played;
    });
  }
}

/** A run that begins when something is known first; it can be cancelled before that, and between its parts. */
function later<Came>(
  begin: (began: <Part>(run: Run<Part>) => Promise<Part | "cancelled">) => Promise<Came | "cancelled">,
): Run<Came> {
  let isCancelled = false;
  let cancel = (): void => {};
  const came = begin((run) => {
    if (isCancelled) {
      run.cancel();
      run.came.catch(() => {});
      return Promise.resolve("cancelled" as const);
    }
    cancel = run.cancel;
    return run.came;
  });
  return {
    came,
    cancel: () => {
      isCancelled = true;
      cancel();
    },
  };
}
