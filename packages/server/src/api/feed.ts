import { endUnread } from "@loyal-quill/runtime";
import type { Request, Response } from "express";
import type { FeedEvent } from "./types.js";

/** Windows of one person that are told of what happens. */
const mostOfOne = 8;

/** With more windows than these, events are gathered for so many milliseconds. */
const few = 10;
const breath = 100;
/** So many events are kept for a window of whose person nothing is known just now. */
const mostMissed = 1000;

/** So much may wait in one window's answer, in bytes. */
const mostUnread = 4_194_304;

/** Something that is to be told, and to whom: null for everybody. */
interface Waiting {
  readonly text: string;
  readonly role: string | null;
}

/**
 * What roles the people of requests have now: null where somebody is signed out, or their session has ended; undefined where it can't be told just
 * now.
 */
export type RolesNow = (requests: readonly Request[]) => Promise<readonly (readonly string[] | null | undefined)[]>;

interface Listener {
  readonly request: Request;
  readonly response: Response;
  readonly person: string;
  readonly rolesNow: RolesNow;
  /** What was not told yet, since nobody could say whether it may be. */
  readonly missed: Waiting[];
}

/** The live feed: server-sent events (HTML, 9.2) to every workbench that is open, as long as its person may have them. */
export class Feed {
  private readonly open = new Map<Response, Listener>();
  private readonly waiting: Waiting[] = [];
  private turn: Promise<void> | undefined;
  private closed = false;
  private readonly heartbeat = setInterval(() => void this.send(": still here\n\n", null), 25_000).unref();

  /** @param patience how long a window may take nothing of what it is told, in milliseconds; half a minute where it is left out */
  constructor(private readonly patience?: number) {}

  /**
   * Keeps an answer open and sends what happens from now on.
   *
   * @param rolesNow asked again before each event, for all windows at once that were opened with the same one
   * @returns false where too many are open for the person already: then nothing was answered
   */
  join(request: Request, response: Response, person: string, rolesNow: RolesNow): boolean {
    // Whoever ends is not waited for by those who would hear more: a browser that gets this does not ask again (HTML, 9.2.3).
    if (this.closed) {
      response.status(503).set("connection", "close").end();
      return true;
    }
    const own = [...this.open.values()].filter((each) => each.person === person);
    if (own.length >= mostOfOne) return false;
    response.status(200).set({
      "content-type": "text/event-stream",
      // What compresses answers would keep each event until more have come (RFC 9111, 5.2.2.6).
      "cache-control": "no-store, no-transform",
      "x-accel-buffering": "no",
    });
    response.flushHeaders();
    endUnread(response, this.patience);
    response.write("retry: 2000\n\n");
    this.open.set(response, { request, response, person, rolesNow, missed: [] });
    response.on("close", () => this.open.delete(response));
    return true;
  }

  /** How many windows listen. */
  get windows(): number {
    return this.open.size;
  }

  tell(event: FeedEvent): void {
    // What is told of pages and requests is for those who make pages; that accounts have changed is nobody's secret.
    void this.send(`data: ${JSON.stringify(event)}\n\n`, event.kind === "people" ? null : "builder");
  }

  close(): void {
    this.closed = true;
    clearInterval(this.heartbeat);
    for (const response of this.open.keys()) response.end();
    this.open.clear();
  }

  /** Sends to whoever has the role at this moment; to whom nothing is open any more, the feed ends. */
  private send(text: string, role: string | null): Promise<void> {
    this.waiting.push({ text, role });
    this.turn ??= this.sendAll().finally(() => {
      this.turn = undefined;
    });
    return this.turn;
  }

  /**
   * One after the other, and what came meanwhile together: the store is asked once for the rights of all who listen. With two hundred windows and many
   * events it would do nothing else.
   */
  private async sendAll(): Promise<void> {
    for (let all = this.waiting.splice(0); all.length > 0; all = this.waiting.splice(0)) {
      await this.sendNow(all);
      if (this.open.size > few) await new Promise((resolve) => setTimeout(resolve, breath));
    }
  }

  private async sendNow(all: readonly Waiting[]): Promise<void> {
    for (const { missed } of this.open.values()) missed.push(...all);
    const groups = new Map<RolesNow, Listener[]>();
    for (const listener of this.open.values()) {
      const group = groups.get(listener.rolesNow) ?? [];
      group.push(listener);
      groups.set(listener.rolesNow, group);
    }
    await Promise.all(
      [...groups].map(async ([rolesNow, listeners]) => {
        // A store that is away, or overrun, says nothing of rights: nothing is told until it does, and nobody is sent away.
        const roles = await rolesNow(listeners.map(({ request }) => request)).catch(() => []);
        for (const [index, listener] of listeners.entries()) this.sendTo(listener, roles[index]);
      }),
    );
  }

  private sendTo({ response, missed }: Listener, roles: readonly string[] | null | undefined): void {
    if (roles === undefined) {
      missed.splice(0, missed.length - mostMissed);
    } else if (roles === null) {
      this.open.delete(response);
      response.end();
    } else {
      const told = missed.splice(0).filter(({ role }) => role === null || roles.includes(role));
      // Whoever does not read what was told before asks again, and begins anew.
      if (response.writableLength > mostUnread) response.destroy();
      else if (told.length > 0) response.write(told.map(({ text }) => text).join(""));
    }
  }
}
