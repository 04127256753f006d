import { connect, createServer, type Socket } from "node:net";

/**
 * What becomes of what passes: it passes; it is swallowed both ways, as on a link that has died silently; the answers are swallowed
 * and what is asked still arrives; or new connections are refused and old ones cut.
 */
export type Passage = "open" | "silent" | "no answers" | "cut";

/** A small TCP proxy on loopback before a port, whose link can be broken in the ways in which links break. */
export interface LinkProxy {
  readonly port: number;
  set(passage: Passage): void;
  /** Leads new connections to another port. */
  aim(port: number): void;
  /**
   * Lets the next answer that a test waits for be lost: once something that contains `text` was asked, what is answered to it is
   * swallowed and, after `wait` milliseconds, the connection cut.
   */
  loseAnswerTo(text: string, wait: number): void;
  /** How many parts of answers were swallowed since the passage was set. */
  swallowed(): number;
  close(): Promise<void>;
}

/** Starts a proxy before a port of loopback. */
export async function startProxy(target: number): Promise<LinkProxy> {
  let passage: Passage = "open";
  let to = target;
  let losing: { readonly text: string; readonly wait: number } | undefined;
  let swallowed = 0;
  const pairs = new Set<readonly [Socket, Socket]>();

  const server = createServer((near) => {
    if (passage === "cut") {
      near.destroy();
      return;
    }
    const far = connect(to, "127.0.0.1");
    const pair = [near, far] as const;
    pairs.add(pair);
    let lost = false;
    const end = (): void => {
      pairs.delete(pair);
      near.destroy();
      far.destroy();
    };
    for (const socket of pair) {
      socket.setNoDelay(true);
      socket.on("error", end);
      socket.on("close", () => {
        // A silent link does not even tell that its other end is gone.
        if (passage !== "silent") end();
      });
    }
    near.on("data", (part) => {
      if (passage === "silent") return;
      far.write(part);
      if (!losing || !part.includes(losing.text)) return;
      lost = true;
      setTimeout(end, losing.wait);
      losing = undefined;
    });
    far.on("data", (part) => {
      if (passage === "open" && !lost) near.write(part);
      else swallowed += 1;
    });
  });
  await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
  const address = server.address();
  if (address === null || typeof address === "string") throw new Error("the proxy has no port");
  return {
    port: address.port,
    aim(port) {
      to = port;
    },
    set(now) {
      passage = now;
      swallowed = 0;
      if (now === "cut")
        for (const [near, far] of pairs) {
          near.destroy();
          far.destroy();
        }
    },
    loseAnswerTo(text, wait) {
      losing = { text, wait };
    },
    swallowed: () => swallowed,
    close: () =>
      new Promise((resolve) => {
        for (const [near, far] of pairs) {
          near.destroy();
          far.destroy();
        }
        server.close(() => resolve());
      }),
  };
}

/** A database's address through a proxy. */
export function throughProxy(url: string, { port }: LinkProxy): string {
  const through = new URL(url);
  through.port = String(port);
  return through.href;
}
