import type { Page } from "@playwright/test";
import type { Vale } from "../vale.js";

/** What a served page says of a save. */
const isSaid = /\b(is|are) saved\.|\bwas (added|deleted)\./;

/** What is on a served page that came of a form: what was done, or why nothing was. */
const told = (page: Page): Promise<{ document: number; said: string; refused: string } | null> =>
  page.evaluate(() => {
    if (document.readyState !== "complete") return null;
    const text = (of: string): string => document.querySelector<HTMLElement>(of)?.innerText ?? "";
    // Of several rows one may be saved and another refused.
    const isOne = /\/(edit|new)$/.test(location.pathname);
    return {
      document: performance.timeOrigin,
      said: text(".quill-said"),
      refused: isOne ? text(".quill-summary:not(.quill-asking)") : "",
    };
  });

/** Holds what served pages say of saves against the change log: what is called saved stands there, and what is refused does not. */
export class Words {
  /** How many saves were told of. */
  saves = 0;
  private last = "";
  private newest: string | null = null;

  /** @param wait milliseconds for which an answer may be on its way */
  constructor(
    private readonly page: Page,
    private readonly vale: Vale,
    private readonly wait: number,
  ) {}

  private async entries(): Promise<{ newest: string; late: number }> {
    return await this.vale.row(
      "SELECT coalesce(max(id), 0)::text AS newest, count(*) FILTER (WHERE at > now() - interval '30 seconds')::int AS late FROM quill_log.change WHERE way = 'page'",
    );
  }

  /** @returns what is said and is not so, or null */
  async look(): Promise<string | null> {
    const shown = await told(this.page);
    const { newest, late } = await this.entries();
    const isNew = this.newest !== null && this.newest !== newest;
    this.newest = newest;
    if (!shown) return null;
    const key = `${shown.document} ${shown.said}`;
    const isFirst = key !== this.last;
    this.last = key;
    if (isFirst && isSaid.test(shown.said)) {
      this.saves += 1;
      if (late === 0) return `Called saved, and not in the log: ${shown.said}`;
    }
    if (!isNew || shown.refused === "") return null;
    // The page that was sent stands there until its answer comes.
    await this.page.waitForTimeout(this.wait);
    const then = await told(this.page).catch(() => null);
    return then?.document === shown.document && then.refused === shown.refused
      ? `Called refused, and in the log as entry ${newest}: ${shown.refused}`
      : null;
  }
}
