import { type ChildProcess, fork } from "node:child_process";
import { fileURLToPath } from "node:url";
import type { Model, SentStatement } from "./bare.js";

export interface Told {
  readonly port?: number;
  readonly memory?: number;
  /** The statement of an open, and that of a save of the notes. */
  readonly open?: SentStatement;
  readonly save?: SentStatement;
  readonly trips?: number;
}

export type Kind =
  | "ours"
  | "ours-recorded"
  /** In an application of somebody's own (`mounted.ts`). */
  | "ours-pool"
  | "ours-layout"
  | "ours-check"
  | "ours-transaction"
  | "ours-outbox"
  /** With a log whose entries are inserted as they are, without hash and chain (`log.ts`). */
  | "ours-unchained"
  | "ours-by-function"
  | "ours-measured"
  | "by-hand"
  | "by-hand-prepared"
  | "bare";

/** An application in a process of its own. */
export interface Child {
  readonly port: number;
  readonly process: ChildProcess;
  /** What it said besides its port, so far. */
  readonly told: Told;
}

/**
 * Starts an application in a process of its own and waits until it listens.
 *
 * @param model what `bare` is made after
 * @param more further variables of its environment
 */
export function start(
  kind: Kind,
  url: string,
  pages: string,
  model?: Model,
  more: Readonly<Record<string, string>> = {},
): Promise<Child> {
  const child = fork(fileURLToPath(new URL("./serve.js", import.meta.url)), [kind, pages], {
    env: { ...process.env, DATABASE_URL: url, NODE_ENV: "production", MODEL: JSON.stringify(model ?? null), ...more },
    execArgv: kind === "ours" && process.env.BENCH_PROFILE ? ["--cpu-prof", "--cpu-prof-dir=.build/profiles"] : [],
  });
  let told: Told = {};
  return new Promise((resolve, reject) => {
    child.once("exit", (code) => reject(new Error(`${kind} ended with ${code}`)));
    child.on("message", (message: Told) => {
      told = { ...told, ...message };
      if (message.port !== undefined) {
        resolve({
          port: message.port,
          process: child,
          get told() {
            return told;
          },
        });
      }
    });
  });
}

export function memoryOf(child: Child): Promise<number> {
  return new Promise((resolve) => {
    const listen = (message: Told): void => {
      if (message.memory === undefined) return;
      child.process.off("message", listen);
      resolve(message.memory);
    };
    child.process.on("message", listen);
    child.process.send("memory");
  });
}
