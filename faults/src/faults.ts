import process from "node:process";
import type { Ground } from "./ground.js";

/** Something that breaks while people work, and is whole again when `run` has ended. */
export interface Fault {
  readonly name: string;
  readonly run: (ground: Ground) => Promise<void>;
  /** Whether every request that the server took must have had an answer. */
  readonly orderly?: true;
}

const pause = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));

const link = (name: string, which: "database" | "store", how: "cut" | "silent" | "no answers", ms: number): Fault => ({
  name,
  run: async (ground) => {
    ground[which].set(how);
    await pause(ms);
    ground[which].set("open");
  },
});

export const faults: readonly Fault[] = [
  {
    name: "the server is killed",
    run: async ({ endServer, startServer }) => {
      await endServer("SIGKILL");
      await startServer();
    },
  },
  {
    name: "the server is stopped in an orderly way",
    orderly: true,
    run: async ({ endServer, startServer }) => {
      await endServer("SIGTERM");
      await startServer();
    },
  },
  {
    name: "single backends are ended, one every 50 ms",
    run: async ({ rows }) => {
      for (let turn = 0; turn < 40; turn++) {
        await rows(
          "SELECT pg_terminate_backend(pid) FROM (SELECT pid FROM pg_stat_activity WHERE usename = 'quill_pages' ORDER BY random() LIMIT 1) AS a",
        );
        await pause(50);
      }
    },
  },
  { name: "PostgreSQL is ended at once and recovers", run: ({ crashPostgres }) => crashPostgres() },
  {
    name: "a backend is killed, and PostgreSQL throws out all others and recovers",
    run: async ({ rows }) => {
      const [backend] = await rows<{ pid: number }>(
        "SELECT pid FROM pg_stat_activity WHERE usename = 'quill_pages' ORDER BY random() LIMIT 1",
      );
      if (backend) process.kill(backend.pid, "SIGKILL");
      await pause(2000);
    },
  },
  link("the link to the database is cut", "database", "cut", 1500),
  link("the link to the database falls silent", "database", "silent", 4000),
  link("answers of the database are lost", "database", "no answers", 4000),
  link("the link to the store is cut", "store", "cut", 1500),
  link("the link to the store falls silent", "store", "silent", 4000),
  {
    name: "answers to single saves are lost, and their connections cut",
    run: async ({ database }) => {
      for (let turn = 0; turn < 30; turn++) {
        database.loseAnswerTo('"quill_log"', turn % 2 === 0 ? 5 : 40);
        await pause(100);
      }
    },
  },
];
