import { createServer } from "node:http";
import type { AddressInfo } from "node:net";
import express, { type RequestHandler } from "express";
import type { Pages, PagesOptions } from "../index.js";

/** What an application of somebody's own says around its pages. */
export const ownFrame: NonNullable<PagesOptions["frame"]> = () => ({
  application: "Somebody's own",
  home: "/",
  language: "en",
  styleSheets: [],
  person: null,
  signOut: null,
});

export interface Served {
  readonly app: express.Express;
  readonly origin: string;
  /** Ends the application and its pages. */
  readonly stop: () => Promise<void>;
}

/** Pages mounted in an application of its own, on a free port of loopback. */
export const serve = (pages: Pages, at = "/", ...before: readonly RequestHandler[]): Promise<Served> =>
  serveIn(express(), pages, at, ...before);

/** The same in an application that was made already. */
export async function serveIn(
  app: express.Express,
  pages: Pages,
  at: string,
  ...before: readonly RequestHandler[]
): Promise<Served> {
  for (const each of before) app.use(each);
  app.use(at, pages.router);
  const server = createServer(app);
  // A test that is busy for longer than a connection is kept would ask on one that is being closed.
  server.keepAliveTimeout = 120_000;
  await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
  return {
    app,
    origin: `http://127.0.0.1:${(server.address() as AddressInfo).port}`,
    stop: async () => {
      server.closeAllConnections();
      await new Promise((resolve) => server.close(resolve));
      await pages.close();
    },
  };
}
