import { Agent, createServer, type IncomingMessage, request, type ServerResponse } from "node:http";
import type { AddressInfo } from "node:net";
import { pipeline } from "node:stream";

/** A small proxy before several servers, as a load balancer is: it asks each of them whether it takes requests, and sends them on in turn. */
export interface Balancer {
  readonly port: number;
  /** Which servers there are from now on, by their ports. */
  readonly lead: (ports: readonly number[]) => void;
  /** Those that take requests just now. */
  readonly able: () => readonly number[];
  readonly close: () => Promise<void>;
}

const askEvery = 200;

const isReady = (port: number): Promise<boolean> =>
  new Promise((resolve) => {
    const asked = request({ port, host: "127.0.0.1", path: "/readyz", timeout: 1000, agent: false }, (answer) => {
      answer.resume();
      resolve(answer.statusCode === 200);
    });
    asked.on("timeout", () => asked.destroy());
    asked.on("error", () => resolve(false));
    asked.end();
  });

export async function startBalancer(): Promise<Balancer> {
  let all: readonly number[] = [];
  let able: readonly number[] = [];
  let turn = 0;
  const agent = new Agent({ keepAlive: true });
  const look = async (): Promise<void> => {
    const states = await Promise.all(all.map(isReady));
    able = all.filter((_, index) => states[index]);
  };
  const timer = setInterval(() => void look(), askEvery);

  /** Sends a request on; one that nobody has taken yet goes to the next server. */
  const pass = (from: IncomingMessage, body: Buffer, to: ServerResponse, tries: number): void => {
    const port = able[turn++ % Math.max(1, able.length)];
    if (port === undefined) {
      to.writeHead(503, { "content-type": "text/plain" }).end("No server takes requests.\n");
      return;
    }
    const { method, url, headers } = from;
    const sent = request({ port, host: "127.0.0.1", method, path: url, headers, agent }, (answer) => {
      to.writeHead(answer.statusCode ?? 502, answer.rawHeaders);
      // An answer that breaks off is broken off for whoever waits for it as well.
      pipeline(answer, to, () => {});
    });
    sent.on("error", (error: NodeJS.ErrnoException) => {
      // Nobody listened, or a connection that was kept alive had ended before anything was sent along it: nobody has taken the request.
      const isUntaken =
        error.code === "ECONNREFUSED" || (sent.reusedSocket && error.code === "ECONNRESET" && method === "GET");
      if (isUntaken && tries > 1) pass(from, body, to, tries - 1);
      // Nobody knows whether it was done: whoever asked gets no answer.
      else to.destroy();
    });
    sent.end(body);
  };
  const server = createServer((from, to) => {
    const parts: Buffer[] = [];
    from.on("data", (part: Buffer) => parts.push(part));
    from.on("end", () => pass(from, Buffer.concat(parts), to, 4));
  });
  await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
  return {
    port: (server.address() as AddressInfo).port,
    lead: (ports) => {
      all = ports;
      void look();
    },
    able: () => able,
    close: async () => {
      clearInterval(timer);
      agent.destroy();
      server.closeAllConnections();
      await new Promise((resolve) => server.close(resolve));
    },
  };
}
