import type { ServerResponse } from "node:http";
import type { Work } from "@loyal-quill/core";

/** How far an upload has come, and how it ended: told to the browser that waits for it. */
export interface Progress {
  readonly phase?: Parameters<Work["tell"]>[0];
  readonly done?: number;
  readonly of?: number;
  /** `unknown`: it failed, and perhaps after it was saved. */
  readonly ended?: "saved" | "given-up" | "answered" | "unknown";
}

/** How long it is known how an upload ended, in milliseconds. */
const keptFor = 60_000;

/** Uploads that are known at once. */
const mostKnown = 500;

const nameOf = (person: string, number: string): string => JSON.stringify([person, number]);

/** How far each upload has come, of each person by the number that their browser has given it. Another process of the same server knows nothing of it. */
export class Uploads {
  private readonly known = new Map<string, Progress>();

  of(person: string, number: string): Progress {
    return this.known.get(nameOf(person, number)) ?? {};
  }

  /**
   * An upload that begins.
   *
   * @param number null where its browser asks for nothing
   * @param response closed before it is sent by whoever gives it up: nothing is saved then, unless it is saved already
   */
  begin(
    person: string,
    number: string | null,
    response: Pick<ServerResponse, "once" | "writableFinished">,
  ): Work & { end(how: NonNullable<Progress["ended"]>): void } {
    const name = number === null ? null : nameOf(person, number);
    const note = (progress: Progress): void => {
      if (name !== null && (this.known.has(name) || this.known.size < mostKnown)) this.known.set(name, progress);
    };
    let isGivenUp = false;
    response.once("close", () => {
      if (!response.writableFinished) isGivenUp = true;
    });
    return {
      tell: (phase, done, of) => note({ phase, done, of }),
      isGivenUp: () => isGivenUp,
      end: (ended) => {
        note({ ended });
        if (name !== null) setTimeout(() => this.known.delete(name), keptFor).unref();
      },
    };
  }
}
