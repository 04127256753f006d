/** A way to PostgreSQL that takes longer: what it sends back arrives so many milliseconds later, in order. */
import { connect, createServer, type Server } from "node:net";

export interface Distance {
  readonly url: string;
  readonly close: () => void;
}

/** @param ms added to every trip; at least 1, since timers count whole milliseconds */
export async function atDistance(url: string, ms: number): Promise<Distance> {
  const near = new URL(url);
  const server: Server = createServer((socket) => {
    const far = connect(Number(near.port), near.hostname);
    far.setNoDelay(true);
    socket.setNoDelay(true);
    socket.pipe(far);
    far.on("data", (part) => setTimeout(() => socket.writable && socket.write(part), ms));
    const end = (): void => {
      socket.destroy();
      far.destroy();
    };
    for (const side of [socket, far]) side.on("error", end).on("close", end);
  });
  await new Promise<void>((listening) => server.listen(0, "127.0.0.1", listening));
  const address = server.address();
  const there = new URL(url);
  there.hostname = "127.0.0.1";
  there.port = String(typeof address === "object" && address ? address.port : 0);
  return { url: there.href, close: () => server.close() };
}
