import { spawn } from "node:child_process";
import { rm } from "node:fs/promises";
import type { Socket } from "node:net";

/**
 * What is left for when this process is gone, killed as well: the servers whose numbers stand in the directory are ended, and it is removed. `read` waits
 * for the end of a pipe whose other end only this process holds.
 */
const clearUp = `read -r _
find "$1" -name postmaster.pid -o -name pgbouncer.pid | while read -r file; do
  pid=$(head -n 1 "$file")
  kill -QUIT "$pid" && tail --pid="$pid" -f /dev/null
done
rm -rf "$1"`;

/**
 * Servers of a directory don't outlive this process, however it ends.
 *
 * @returns what removes the directory, once they were stopped
 */
export function endsWithUs(directory: string): () => Promise<void> {
  // In a process group of its own: what interrupts this one at the terminal must not end it.
  const after = spawn("sh", ["-c", clearUp, "sh", directory], { detached: true, stdio: ["pipe", "ignore", "ignore"] });
  after.unref();
  (after.stdin as Socket).unref();
  return async () => {
    after.kill("SIGKILL");
    await rm(directory, { recursive: true, force: true });
  };
}
