import { readFile, rm, writeFile } from "node:fs/promises";
import path from "node:path";

interface Running {
  readonly pid: number;
  readonly address: string;
}

const fileOf = (directory: string): string => path.join(directory, "running.json");

const isAlive = (pid: number): boolean => {
  try {
    process.kill(pid, 0);
    return true;
  } catch (error) {
    return (error as NodeJS.ErrnoException).code === "EPERM";
  }
};

/** Whether the process that wrote the note is one of ours: another program may have been given its number since. */
async function isOurs(pid: number): Promise<boolean> {
  if (!isAlive(pid)) return false;
  const command = await readFile(`/proc/${pid}/cmdline`, "utf8").catch(() => "quill");
  return command.includes("quill");
}

/**
 * The run that has this data directory now, or undefined. The note of a run that was killed is removed.
 *
 * @returns also whether such a note was found
 */
export async function runningOn(directory: string): Promise<{ running: Running | undefined; leftover: boolean }> {
  try {
    const note = JSON.parse(await readFile(fileOf(directory), "utf8")) as Running;
    if (note.pid !== process.pid && (await isOurs(note.pid))) return { running: note, leftover: false };
    await rm(fileOf(directory), { force: true });
    return { running: undefined, leftover: true };
  } catch {
    return { running: undefined, leftover: false };
  }
}

export const noteRunning = (directory: string, address: string): Promise<void> =>
  writeFile(fileOf(directory), JSON.stringify({ pid: process.pid, address }), { mode: 0o600 });

export const forgetRunning = (directory: string): Promise<void> => rm(fileOf(directory), { force: true });
