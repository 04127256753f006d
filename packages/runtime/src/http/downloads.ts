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

/** How long an answer waits for a reader who takes nothing of it, in milliseconds. */
const patience = 30_000;

/**
 * Breaks an answer off whose reader takes nothing of it for half a minute: what is kept for them is somebody else's memory, and their turn. Node's own
 * timeout of a socket sees also how far a large part of it has come.
 *
 * @param wait in milliseconds
 */
export function endUnread(response: ServerResponse, wait = patience): void {
  response.setTimeout(wait, () => {
    const isWaiting = response.writableLength > 0 || (response.socket?.writableLength ?? 0) > 0;
    if (isWaiting) response.destroy();
  });
}
