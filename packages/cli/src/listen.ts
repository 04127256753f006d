import { createServer, type Server, type ServerResponse } from "node:http";
import type { Say } from "./cluster/cluster.js";

/** A command that can't go on, for a reason that the person can do something about. */
export class CannotStart extends Error {}

const usualPort = 4310;

const listenOn = (server: Server, port: number, host: string): Promise<boolean> =>
  new Promise((resolve, reject) => {
    server.once("error", (error: NodeJS.ErrnoException) =>
      error.code === "EADDRINUSE" ? resolve(false) : reject(error),
    );
    server.listen(port, host, () => resolve(true));
  });

/** The answers that each server is at work on. */
const answering = new WeakMap<Server, Set<ServerResponse>>();

function watchAnswers(server: Server): void {
  const at = new Set<ServerResponse>();
  answering.set(server, at);
  server.prependListener("request", (_request, response) => {
    at.add(response);
    response.on("close", () => at.delete(response));
  });
}

/** Tells whoever waits for an answer that the connection ends with it, so that nothing more is sent along it. */
function endWithAnswer(response: ServerResponse): void {
  if (!response.headersSent) response.setHeader("connection", "close");
}

/** Listens on the port told, or on the first free one from the usual port on. */
export async function listen(server: Server, told: number | undefined, say: Say, host = "127.0.0.1"): Promise<number> {
  watchAnswers(server);
  if (told !== undefined) {
    if (await listenOn(server, told, host)) return told;
    throw new CannotStart(
      `Port ${told} is taken by another program. Choose another one with --port, or leave it out to get a free one.`,
    );
  }
  for (let port = usualPort; port < usualPort + 50; port++) {
    if (!(await listenOn(server, port, host))) continue;
    if (port !== usualPort) say(`Port ${usualPort} is taken by another program: port ${port} is used instead.`);
    return port;
  }
  throw new CannotStart(`No port from ${usualPort} to ${usualPort + 49} is free. Choose one with --port.`);
}

/** The first port from the usual one on that is free just now. */
export async function freeFrom(): Promise<number> {
  const server = createServer();
  const port = await listen(server, undefined, () => {});
  await new Promise((resolve) => server.close(resolve));
  return port;
}

/**
 * An orderly end: takes nothing new, answers what has come, and cuts what is not answered in time.
 *
 * @param patience milliseconds
 * @returns whether everything was answered
 */
export function drain(server: Server, patience: number): Promise<boolean> {
  return new Promise((resolve) => {
    let answered = true;
    const cut = setTimeout(() => {
      answered = false;
      server.closeAllConnections();
    }, patience);
    for (const response of answering.get(server) ?? []) endWithAnswer(response);
    server.prependListener("request", (_request, response) => endWithAnswer(response));
    // A connection that is kept alive is idle once its answer is out.
    const sweep = setInterval(() => server.closeIdleConnections(), 50);
    server.close(() => {
      clearTimeout(cut);
      clearInterval(sweep);
      resolve(answered);
    });
    server.closeIdleConnections();
  });
}

/** Waits for something no longer than so many milliseconds: what closes may hang on a connection that is silent. */
export async function withPatience(ending: Promise<unknown>, patience: number): Promise<void> {
  let timer: NodeJS.Timeout | undefined;
  const end = new Promise<void>((resolve) => {
    timer = setTimeout(resolve, patience);
  });
  await Promise.race([ending, end]);
  clearTimeout(timer);
}

/** How long an orderly end waits for answers, where nobody says otherwise, and for connections to close; in milliseconds. */
export const usualPatience = 10_000;
export const closePatience = 5_000;
