import { execFile } from "node:child_process";
import { chmod, chown, mkdir, stat } from "node:fs/promises";
import path from "node:path";
import { promisify } from "node:util";

const execute = promisify(execFile);

const isRoot = process.getuid?.() === 0;

/** The system user that runs PostgreSQL where we are root, since `initdb` and `postgres` refuse root. */
const systemUser = "postgres";

/** Runs a program as the user who owns the cluster. */
export async function runAsOwner(program: string, args: readonly string[]): Promise<string> {
  const [command, ...rest] = isRoot ? ["runuser", "-u", systemUser, "--", program, ...args] : [program, ...args];
  const { stdout } = await execute(command ?? program, rest, { env: { ...process.env, LC_ALL: "C" }, cwd: "/" });
  return stdout;
}

async function ownerId(): Promise<{ uid: number; gid: number }> {
  const [uid, gid] = await Promise.all([execute("id", ["-u", systemUser]), execute("id", ["-g", systemUser])]);
  return { uid: Number(uid.stdout), gid: Number(gid.stdout) };
}

/** Makes a directory that only the cluster's owner can enter. */
export async function makeOwned(directory: string): Promise<void> {
  await mkdir(directory, { recursive: true, mode: 0o700 });
  await chmod(directory, 0o700);
  await giveToOwner(directory);
}

/** Hands a file or directory over to the cluster's owner. */
export async function giveToOwner(target: string): Promise<void> {
  if (!isRoot) return;
  const { uid, gid } = await ownerId();
  await chown(target, uid, gid);
}

/** The first directory on the way to a path that the cluster's owner can't pass, or undefined. */
export async function barrier(target: string): Promise<string | undefined> {
  if (!isRoot) return undefined;
  const { uid, gid } = await ownerId();
  const parts = path.resolve(target).split(path.sep).slice(1, -1);
  for (let depth = 0; depth <= parts.length; depth++) {
    const directory = path.join("/", ...parts.slice(0, depth));
    const found = await stat(directory).catch(() => undefined);
    if (!found) return undefined;
    const passes = found.uid === uid ? found.mode & 0o100 : found.gid === gid ? found.mode & 0o010 : found.mode & 0o001;
    if (!passes) return directory;
  }
  return undefined;
}
