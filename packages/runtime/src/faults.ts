import { performance } from "node:perf_hooks";
import type { RecordedRequest } from "@loyal-quill/core";

/** What failed so is told again after this long, in milliseconds, and so many different things are kept in mind. */
const again = 60_000;
const mostKept = 100;

/** A request that could not be answered for a fault of the database, or of something else behind the page. */
export class RequestFailed extends Error {
  override readonly name = "RequestFailed";
}

/**
 * Tells whoever runs the application of requests that failed: people are told that something is wrong, not what. At once, and of what fails for the same
 * reason once a minute, with how often it did: a database that is away fails them all.
 */
export class Faults {
  private readonly told = new Map<string, { readonly at: number; more: number }>();

  /** @param now the time in milliseconds, from any start */
  constructor(
    private readonly onError: (error: unknown) => void,
    private readonly now: () => number = () => performance.now(),
  ) {}

  tell({ page, operation, status, steps }: RecordedRequest): void {
    const reason = steps.flatMap(({ stopped }) => stopped ?? []).at(-1) ?? "no reason is known";
    const before = this.told.get(reason);
    if (before && this.now() - before.at < again) {
      before.more++;
      return;
    }
    this.told.delete(reason);
    for (const oldest of [...this.told.keys()].slice(0, Math.max(0, this.told.size - mostKept + 1)))
      this.told.delete(oldest);
    this.told.set(reason, { at: this.now(), more: 0 });
    const requests = before?.more === 1 ? "1 more request" : `${before?.more ?? 0} more requests`;
    const since = before && before.more > 0 ? ` (and ${requests} since this was told last)` : "";
    this.onError(new RequestFailed(`The page ${page} answered ${status} (${operation}): ${reason}${since}`));
  }
}
