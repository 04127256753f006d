import type { Query, QueryClient } from "@tanstack/react-query";

/**
 * What an answer is made of besides what it was asked with: stored rows, page files with the tables as they are, drafts as the server has them,
 * recorded requests, accounts.
 */
export type Source = "rows" | "files" | "drafts" | "requests" | "people";

/** For a query: it is asked for anew, where it is on screen, when one of these has changed. */
export const madeOf = (...of: readonly Source[]) => ({ meta: { of } });

const isMadeOf = ({ meta }: Query, changed: ReadonlySet<Source>): boolean =>
  ((meta?.of ?? []) as readonly Source[]).some((source) => changed.has(source));

/** Asks anew for what is made of these, at once. */
export const askAnew = (queries: QueryClient, ...changed: readonly Source[]): Promise<void> =>
  queries.invalidateQueries({ predicate: (query) => isMadeOf(query, new Set(changed)) });

/** What changes all the time is asked for anew so often, in milliseconds. */
const pause = 1000;

/**
 * Asks anew for what is made of what has changed: at once, and then once a second at most, however much happens. What is being asked for just now
 * comes to its end first: where answers are slower than changes, there would never be one.
 */
export class AskingAnew {
  private readonly stale = new Set<Query>();
  /** Ends the wait for the next turn; undefined where nothing has been asked for lately. */
  private endWait: (() => void) | undefined;

  /** @param wait calls after a pause, unless it is ended */
  constructor(
    private readonly queries: QueryClient,
    private readonly wait: (run: () => void) => () => void = (run) => {
      const timer = setTimeout(run, pause);
      return () => clearTimeout(timer);
    },
  ) {}

  changed(...changed: readonly Source[]): void {
    const sources = new Set(changed);
    for (const query of this.queries.getQueryCache().getAll()) if (isMadeOf(query, sources)) this.stale.add(query);
    if (!this.endWait) this.ask();
  }

  /** Nothing more is asked for. */
  end(): void {
    this.endWait?.();
    this.stale.clear();
  }

  private ask(): void {
    this.endWait = undefined;
    if (this.stale.size === 0) return;
    const due = new Set([...this.stale].filter(({ state }) => state.fetchStatus !== "fetching"));
    for (const query of due) this.stale.delete(query);
    if (due.size > 0) void this.queries.invalidateQueries({ predicate: (query) => due.has(query) });
    this.endWait = this.wait(() => this.ask());
  }
}
