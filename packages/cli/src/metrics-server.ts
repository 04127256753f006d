import { createServer } from "node:http";
import { isAskedOnLoopback } from "@loyal-quill/server/pages";
import { CannotStart } from "./listen.js";

/** What tells measurements, in the text form of Prometheus. */
interface Measurements {
  readonly type: string;
  readonly text: () => Promise<string>;
}

/** Serves measurements at `/metrics` on loopback, at a port of their own: they are nobody's who comes to the pages. */
export async function serveMetrics(port: number, { type, text }: Measurements): Promise<{ stop: () => Promise<void> }> {
  const server = createServer((request, response) => {
    // A page elsewhere that lets its own name point here would read what is this machine's.
    if (!isAskedOnLoopback(request)) {
      response.writeHead(421, { "content-type": "text/plain" }).end("Measurements are told on loopback.\n");
      return;
    }
    if (request.url !== "/metrics") {
      response.writeHead(404, { "content-type": "text/plain" }).end("Measurements are at /metrics.\n");
      return;
    }
    text().then(
      (told) => response.writeHead(200, { "content-type": type }).end(told),
      () => response.writeHead(503, { "content-type": "text/plain" }).end("Not just now.\n"),
    );
  });
  await new Promise<void>((resolve, reject) => {
    server.once("error", (error: NodeJS.ErrnoException) =>
      reject(
        error.code === "EADDRINUSE"
          ? new CannotStart(`Port ${port} is taken by another program. Choose another one with --metrics-port.`)
          : error,
      ),
    );
    server.listen(port, "127.0.0.1", resolve);
  });
  return {
    stop: async () => {
      server.closeAllConnections();
      await new Promise((resolve) => server.close(resolve));
    },
  };
}
