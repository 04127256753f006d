import cluster, { type Worker } from "node:cluster";
import { randomBytes } from "node:crypto";
import process from "node:process";
import { aggregatedMetrics } from "@loyal-quill/server/pages";
import type { Say } from "./cluster/cluster.js";
import { noSigningKeys, type Serving } from "./commands/serve.js";
import { secretsOfEnvironment } from "./from-environment.js";
import { CannotStart, freeFrom } from "./listen.js";
import { serveMetrics } from "./metrics-server.js";

/** What a worker tells its primary once it serves. */
interface Ready {
  readonly ready: string;
}

const isReady = (message: unknown): message is Ready =>
  typeof message === "object" && message !== null && "ready" in message;

/** Whether this process is one of several that another one has begun. */
export const isWorker = cluster.isWorker;

/** Of several workers the first one says what there is to say. */
export const isFirst = process.env.QUILL_WORKER === "1" || !isWorker;

export const tellReady = (address: string): void => void process.send?.({ ready: address } satisfies Ready);

/** One that ends sooner than this after it began is not begun again at once, in milliseconds. */
const tooSoon = 5_000;

interface WorkersOptions {
  readonly workers: number;
  readonly port: number | undefined;
  readonly metricsPort: number | undefined;
  readonly stopWithin: number;
}

/**
 * Serves with several processes of this machine behind one port: this one begins them, begins another where one ends, and ends them. What they are
 * told on the command line is what this one was told.
 */
export async function serveWithWorkers(options: WorkersOptions, say: Say): Promise<Serving> {
  const port = options.port ?? (await freeFrom());
  // All sign with the same key.
  const own = secretsOfEnvironment("QUILL_SIGNING_KEYS", "QUILL_SIGNING_KEY")
    ? undefined
    : randomBytes(32).toString("hex");
  if (own !== undefined) say(noSigningKeys);
  let stopping = false;
  const all = new Map<string, Worker>();
  const begin = (number: string): Promise<string> =>
    new Promise((resolve, reject) => {
      const begun = Date.now();
      const worker = cluster.fork({
        QUILL_WORKER: number,
        PORT: String(port),
        ...(own === undefined ? {} : { QUILL_SIGNING_KEYS: own }),
      });
      all.set(number, worker);
      let isUp = false;
      worker.on("message", (message: unknown) => {
        if (!isReady(message)) return;
        isUp = true;
        resolve(message.ready);
      });
      worker.on("exit", (code, signal) => {
        all.delete(number);
        if (stopping) return;
        if (!isUp) return reject(new CannotStart(`Worker ${number} did not begin (exit code ${code ?? signal}).`));
        say(`Worker ${number} ended (${signal ?? `exit code ${code}`}): another one takes its place.`);
        const again = (): void => void begin(number).catch(() => setTimeout(again, tooSoon));
        setTimeout(again, Date.now() - begun < tooSoon ? tooSoon : 0);
      });
    });
  const stop = async (): Promise<void> => {
    stopping = true;
    const ended = [...all.values()].map(
      (worker) =>
        new Promise<void>((resolve) => {
          worker.once("exit", () => resolve());
          worker.process.kill("SIGTERM");
          setTimeout(() => worker.process.kill("SIGKILL"), options.stopWithin).unref();
        }),
    );
    await Promise.all(ended);
    await metrics?.stop();
  };
  const metrics =
    options.metricsPort === undefined ? null : await serveMetrics(options.metricsPort, aggregatedMetrics());
  try {
    const numbers = Array.from({ length: options.workers }, (_, index) => String(index + 1));
    const [address = ""] = await Promise.all(numbers.map(begin));
    say(`${options.workers} processes serve at one port.`);
    return { address, stop };
  } catch (error) {
    await stop();
    throw error;
  }
}
