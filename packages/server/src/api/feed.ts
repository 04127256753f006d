import type { Response } from "express";
import type { FeedEvent } from "./types.js";

/** The live feed: server-sent events (HTML, 9.2) to every workbench that is open. */
export class Feed {
  private readonly open = new Set<Response>();
  private readonly heartbeat = setInterval(() => this.write(": still here\n\n"), 25_000).unref();

  /** Keeps an answer open and sends what happens from now on. */
  join(response: Response): void {
    response
      .status(200)
      .set({ "content-type": "text/event-stream", "cache-control": "no-store", "x-accel-buffering": "no" });
    response.flushHeaders();
    response.write("retry: 2000\n\n");
    this.open.add(response);
    response.on("close", () => this.open.delete(response));
  }

  tell(event: FeedEvent): void {
    this.write(`data: ${JSON.stringify(event)}\n\n`);
  }

  close(): void {
    clearInterval(this.heartbeat);
    for (const response of this.open) response.end();
    this.open.clear();
  }

  private write(text: string): void {
    for (const response of this.open) response.write(text);
  }
}
