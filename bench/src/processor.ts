/** What the processors did for whom, as Linux counts it (proc(5), `/proc/PID/stat`: utime and stime). */
import { readdirSync, readFileSync } from "node:fs";

/** A tick of the kernel's clock, in milliseconds: USER_HZ is 100 on Linux. */
const tick = 10;

function usedBy(pid: string): number {
  try {
    const stat = readFileSync(`/proc/${pid}/stat`, "utf8");
    const [utime, stime] = stat
      .slice(stat.lastIndexOf(")") + 2)
      .split(" ")
      .slice(11, 13);
    return (Number(utime) + Number(stime)) * tick;
  } catch {
    // It has ended meanwhile.
    return 0;
  }
}

const commandOf = (pid: string): string => {
  try {
    return readFileSync(`/proc/${pid}/comm`, "utf8").trim();
  } catch {
    return "";
  }
};

/** Milliseconds of processor time so far, by process. */
export interface Look {
  readonly page: number;
  readonly load: number;
  /** All processes of PostgreSQL: on this machine there is one cluster while a benchmark runs. */
  readonly postgres: ReadonlyMap<string, number>;
}

export function look(page: number | undefined): Look {
  const postgres = readdirSync("/proc").filter((name) => /^\d+$/.test(name) && commandOf(name) === "postgres");
  return {
    page: usedBy(String(page)),
    load: usedBy(String(process.pid)),
    postgres: new Map(postgres.map((pid) => [pid, usedBy(pid)])),
  };
}

/** Milliseconds of processor time a request: the page's process, all of PostgreSQL's, and the load itself. */
export interface Used {
  readonly page: number;
  readonly postgres: number;
  readonly load: number;
}

/** What was used between two looks. What a process used that has ended in between is not known. */
export const between = (before: Look, after: Look, requests: number): Used => ({
  page: (after.page - before.page) / requests,
  load: (after.load - before.load) / requests,
  postgres: [...after.postgres].reduce((sum, [pid, ms]) => sum + ms - (before.postgres.get(pid) ?? 0), 0) / requests,
});
