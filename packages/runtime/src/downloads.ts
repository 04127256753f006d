import type { ServerResponse } from "node:http";
import type { ExportTurn } from "@loyal-quill/core";

/** Exports at once, of all people together: each has a connection until it is read from the database. */
const mostAtOnce = 4;

/** Whose export is under way, so that nobody takes the database's connections from those who open a page. */
export class Downloads {
  private readonly people = new Set<string>();

  /**
   * Takes a turn until an answer is over.
   *
   * @param person by id
   */
  take(person: string, response: Pick<ServerResponse, "once">): ExportTurn {
    if (this.people.has(person)) return "export-of-yours";
    if (this.people.size >= mostAtOnce) return "exports-of-others";
    this.people.add(person);
    response.once("close", () => this.people.delete(person));
    return "free";
  }
}

/** How long an answer waits for a reader who takes nothing of it, and how often that is looked at, in milliseconds. */
const patience = { wait: 30_000, look: 1000 };

/**
 * Breaks an answer off whose reader takes nothing of it for half a minute: what is kept for them is somebody else's memory, and their turn.
 *
 * @param wait in milliseconds
 */
export function endUnread(response: ServerResponse, wait = patience.wait): void {
  const every = Math.min(patience.look, wait / 4);
  // Looks are counted, and not the time: a process that was held up has not looked.
  let [taken, looks] = [-1, 0];
  const timer = setInterval(() => {
    const { socket, writableLength } = response;
    // What the socket itself has not passed on yet is not taken either.
    const now = (socket?.bytesWritten ?? 0) - (socket?.writableLength ?? 0);
    if (now !== taken || (writableLength === 0 && (socket?.writableLength ?? 0) === 0)) [taken, looks] = [now, 0];
    else looks += 1;
    if (looks * every >= wait) response.destroy();
  }, every);
  timer.unref();
  response.once("close", () => clearInterval(timer));
}
