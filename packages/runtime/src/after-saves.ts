import { performance } from "node:perf_hooks";
import { type RecordedOwn, type RecordedRequest, type SavedEvent, saidBy } from "@loyal-quill/core";
import type { LiveSite } from "./files/live-site.js";
import { AfterSaveFailed, type Outbox } from "./own/outbox.js";
import { type AnySteps, limited, usualLimit } from "./own/steps.js";

/** What is to be done after saves by the steps of the developer's own. */
export class AfterSaves {
  constructor(
    private readonly site: LiveSite,
    private readonly outbox: Outbox,
    private readonly onError: (error: unknown) => void,
  ) {}

  /** Does it, and says what became of it. What the outbox keeps is only told of. */
  async call(saved: readonly SavedEvent[]): Promise<readonly RecordedOwn[]> {
    const called: RecordedOwn[] = [];
    for (const event of saved) {
      const found = this.site.steps.get(event.page)?.steps;
      if (found?.outbox) this.outbox.look();
      else if (found?.afterSave) called.push(await this.afterSave(found, event));
    }
    return called;
  }

  /** The same, told on their trip. */
  async callTold(saved: readonly SavedEvent[], recorded: RecordedRequest): Promise<RecordedRequest> {
    const called = await this.call(saved);
    if (called.length === 0) return recorded;
    const last = recorded.steps.length - 1;
    const withCalls = recorded.steps.map((step, index) =>
      index === last ? { ...step, own: [...(step.own ?? []), ...called] } : step,
    );
    return { ...recorded, steps: withCalls };
  }

  private async afterSave(found: AnySteps, event: SavedEvent): Promise<RecordedOwn> {
    const begun = performance.now();
    let said: string | null = null;
    try {
      await limited(found.limit ?? usualLimit, (signal) => found.afterSave?.({ ...event, attempt: 1, signal }));
    } catch (error) {
      said = `failed: ${saidBy(error)}`;
      this.onError(
        new AfterSaveFailed(`afterSave of ${event.page} ${said}, for entry ${event.entry}`, { cause: error }),
      );
    }
    return { name: "afterSave", ms: performance.now() - begun, said };
  }
}
