import type { Page } from "@playwright/test";
import { violations } from "../violations.js";

/** What a browser says of what somebody's own steps, or a link that loses answers, have brought about. */
const expected =
  /status of (4\d\d|503)|net::ERR_|allow-scripts' permission is not set|Blocked autofocusing|Failed to load resource/;

/** Words of a programming language that no text of ours has, and what stands in the place of a view that has failed. */
const broken =
  /\bundefined\b|\bNaN\b|\[object |Something went wrong|Internal Server Error|Cannot read prop|is not a function/;

/** What is wrong with what somebody sees, whatever they have done before. */
export class Faults {
  readonly found: string[] = [];
  private readonly known = new Set<string>();

  /** @param steps what was done so far: the last ones are told with a fault */
  constructor(
    private readonly page: Page,
    private readonly steps: readonly string[],
  ) {
    page.on("pageerror", ({ message, stack }) => this.take(`An error in the page: ${message} ${stack?.slice(0, 400)}`));
    page.on("console", (message) => {
      const isSevere = message.type() === "error" || message.type() === "warning";
      if (isSevere && !expected.test(message.text())) this.take(`On the console: ${message.text().slice(0, 600)}`);
    });
    page.on("response", (answer) => {
      // What is too busy says so, and to come again (503).
      if (answer.status() >= 500 && answer.status() !== 503)
        this.take(`Status ${answer.status()}: ${answer.request().method()} ${answer.url()}`);
      // The workbench asks for nothing that somebody may not have: such an answer comes of a request without its token, or before their roles are known.
      if (answer.status() === 403 && answer.url().includes("/workbench/api/"))
        this.take(`Not allowed: ${answer.request().method()} ${answer.url()}`);
    });
  }

  /** Takes a fault up, once: those that begin alike are one. */
  take(fault: string): void {
    const beginning = fault.slice(0, 100);
    if (this.known.has(beginning)) return;
    this.known.add(beginning);
    this.found.push([fault, `at ${this.page.url()}, after`, ...this.steps.slice(-8)].join("\n    "));
  }

  /** Looks at the text, and at whether it is wider than its window: once the page has its style. */
  async look(): Promise<void> {
    const seen = await this.page.evaluate(() => {
      if (document.readyState !== "complete") return null;
      const shown = document.documentElement;
      const tooFar = [...document.querySelectorAll("body *")].filter(
        (each) => each.getBoundingClientRect().right > shown.clientWidth + 1,
      );
      return {
        text: document.body?.innerText ?? "",
        width: shown.scrollWidth - shown.clientWidth,
        // The innermost ones: all around them are as wide.
        beyond: tooFar.slice(-5).map((each) => `${each.tagName} ${(each.textContent ?? "").slice(0, 40)}`),
      };
    });
    if (!seen) return;
    // Our documents may write about the words of a language.
    const word = this.page.url().includes("/workbench/help") ? null : broken.exec(seen.text);
    if (word) this.take(`A text: …${seen.text.slice(Math.max(0, word.index - 60), word.index + 80)}…`);
    if (seen.width > 1) this.take(`Wider than its window by ${seen.width} pixels: ${seen.beyond.join(" | ")}`);
  }

  /** Asks axe, which runs where scripts do, once the workbench's have drawn something. */
  async ask(): Promise<void> {
    if ((await this.page.locator("#root:empty").count()) > 0) return;
    for (const violation of await violations(this.page)) {
      // An open list of React Aria hides the page behind it, with what has the focus there.
      if (!violation.includes("aria-hidden-focus")) this.take(`Found by axe: ${violation}`);
    }
  }
}
