import { execFile } from "node:child_process";
import { existsSync, readdirSync } from "node:fs";
import { chmod, mkdtemp, readFile, rm, writeFile } from "node:fs/promises";
import { createServer } from "node:net";
import os from "node:os";
import path from "node:path";
import process from "node:process";
import { promisify } from "node:util";
import { endsWithUs } from "./ends-with-us.js";

const execute = promisify(execFile);

/** PostgreSQL and its pooler refuse to run as root. */
async function asOwner(program: string, ...args: readonly string[]): Promise<string> {
  const isRoot = process.getuid?.() === 0;
  const [command, ...rest] = isRoot ? ["runuser", "-u", "postgres", "--", program, ...args] : [program, ...args];
  const { stdout } = await execute(command ?? program, rest, { cwd: "/", env: { ...process.env, LC_ALL: "C" } });
  return stdout;
}

const debian = "/usr/lib/postgresql";
const newest = (): string =>
  existsSync(debian)
    ? (readdirSync(debian)
        .filter((name) => /^\d+$/.test(name))
        .sort((a, b) => Number(b) - Number(a))[0] ?? "")
    : "";
const binary = (name: string): string => (newest() === "" ? name : path.join(debian, newest(), "bin", name));

const freePort = (): Promise<number> =>
  new Promise((resolve, reject) => {
    const server = createServer();
    server.on("error", reject);
    server.listen(0, "127.0.0.1", () => {
      const address = server.address();
      server.close(() => resolve(typeof address === "object" && address ? address.port : 0));
    });
  });

/** A directory that whoever runs PostgreSQL owns, and what removes it. */
async function ownDirectory(): Promise<{ directory: string; remove: () => Promise<void> }> {
  const directory = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-server-"));
  if (process.getuid?.() === 0) await execute("chown", ["postgres:", directory]);
  await chmod(directory, 0o700);
  return { directory, remove: endsWithUs(directory) };
}

const writeOwned = async (directory: string, name: string, text: string): Promise<string> => {
  const file = path.join(directory, name);
  await writeFile(file, text, { mode: 0o600 });
  if (process.getuid?.() === 0) await execute("chown", ["postgres:", file]);
  return file;
};

/** A certificate for a server by the name localhost, which is its own authority, and its key: PEM files that PostgreSQL takes. */
export interface Certificate {
  readonly file: string;
  readonly key: string;
  readonly remove: () => Promise<void>;
}

/** Makes one, by Debian's openssl, which PostgreSQL brings. */
export async function makeCertificate(): Promise<Certificate> {
  const { directory, remove } = await ownDirectory();
  const [file, key] = [path.join(directory, "server.crt"), path.join(directory, "server.key")];
  const kind = ["req", "-x509", "-nodes", "-newkey", "ec", "-pkeyopt", "ec_paramgen_curve:prime256v1", "-days", "2"];
  const names = ["-subj", "/CN=localhost", "-addext", "subjectAltName=DNS:localhost"];
  await asOwner("openssl", ...kind, ...names, "-keyout", key, "-out", file);
  return { file, key, remove };
}

/** A pooler before a server of loopback. */
export interface Pooler {
  readonly port: number;
  /** Leads new connections to another server's port, and lets go of those to the one of before. */
  readonly lead: (target: number) => Promise<void>;
  readonly stop: () => Promise<void>;
}

/** Waits until a pooler says that it listens (true), or that it can't (false). @throws after half a minute */
async function listens(log: string, port: number): Promise<boolean> {
  for (const end = Date.now() + 30_000; ; ) {
    const said = await readFile(log, "utf8").catch(() => "");
    if (said.includes(`listening on 127.0.0.1:${port}`)) return true;
    if (/FATAL|ERROR|cannot listen|Address already in use/.test(said)) return false;
    if (Date.now() > end) throw new Error(`the pooler does not listen: ${said}`);
    await new Promise((resolve) => setTimeout(resolve, 20));
  }
}

/**
 * Starts Debian's pgbouncer in transaction mode, as strict as it comes: it takes no start-up parameters and keeps no prepared statements.
 *
 * @param target the server's port
 * @param users passwords by role
 * @param most connections to the server, of each user and database
 */
export async function startPooler(
  target: number,
  users: Readonly<Record<string, string>>,
  most = 20,
  mode: "transaction" | "session" = "transaction",
): Promise<Pooler> {
  const { directory, remove } = await ownDirectory();
  const log = path.join(directory, "pgbouncer.log");
  let port = await freePort();
  const list = Object.entries(users).map(([name, password]) => `"${name}" "${password}"`);
  const known = await writeOwned(directory, "users.txt", `${list.join("\n")}\n`);
  const settingsFor = (at: number): string => `[databases]
* = host=127.0.0.1 port=${at}
[pgbouncer]
listen_addr = 127.0.0.1
listen_port = ${port}
unix_socket_dir =
auth_type = scram-sha-256
auth_file = ${known}
pool_mode = ${mode}
default_pool_size = ${most}
max_client_conn = 2000
server_login_retry = 1
server_connect_timeout = 2
logfile = ${log}
pidfile = ${path.join(directory, "pgbouncer.pid")}
`;
  const write = (at: number): Promise<string> => writeOwned(directory, "pgbouncer.ini", settingsFor(at));
  const start = async (): Promise<boolean> => {
    await rm(log, { force: true });
    // It goes into the background before it listens.
    await asOwner("pgbouncer", "-d", await write(target));
    return listens(log, port);
  };
  // Another test's server may take the port meanwhile.
  for (let tries = 1; !(await start()); tries += 1) {
    if (tries === 5) throw new Error(`the pooler does not start: ${await readFile(log, "utf8")}`);
    port = await freePort();
  }
  const signal = async (name: NodeJS.Signals): Promise<void> => {
    process.kill(Number(await readFile(path.join(directory, "pgbouncer.pid"), "utf8")), name);
  };
  return {
    port,
    lead: async (at) => {
      await write(at);
      await signal("SIGHUP");
    },
    stop: async () => {
      await signal("SIGKILL");
      await remove();
    },
  };
}

/** A standby that follows a server of loopback. */
export interface Standby {
  readonly port: number;
  /** Stops replaying what it receives, and goes on with it. */
  readonly pause: () => Promise<void>;
  readonly resume: () => Promise<void>;
  readonly promote: () => Promise<void>;
  /** Ends it in the middle of what it does, and lets it lie. */
  readonly kill: () => Promise<void>;
  readonly stop: () => Promise<void>;
}

/**
 * Copies a server and lets the copy follow it.
 *
 * @param primary its port
 * @param password of its role `postgres`
 * @param name by which the primary knows it: `synchronous_standby_names`
 */
export async function startStandby(primary: number, password: string, name = "standby"): Promise<Standby> {
  const { directory, remove } = await ownDirectory();
  const data = path.join(directory, "data");
  const port = await freePort();
  const secret = await writeOwned(directory, "pgpass", `127.0.0.1:*:*:postgres:${password}\n`);
  const from = `host=127.0.0.1 port=${primary} user=postgres passfile=${secret} application_name=${name}`;
  await asOwner(binary("pg_basebackup"), "-d", from, "-D", data, "-R", "-X", "stream", "-c", "fast", "--no-sync");
  const ask = async (text: string): Promise<void> => {
    const to = `host=127.0.0.1 port=${port} user=postgres passfile=${secret} dbname=postgres`;
    await asOwner(binary("psql"), "-X", "-q", "-d", to, "-c", text);
  };
  const control = (...args: readonly string[]): Promise<string> =>
    asOwner(binary("pg_ctl"), "-D", data, "-w", "-s", "-t", "60", ...args);
  const settings = `-p ${port} -k '' -c listen_addresses=127.0.0.1 -c max_connections=120 -c fsync=off`;
  await control("-l", path.join(directory, "log"), "-o", settings, "start");
  return {
    port,
    pause: () => ask("SELECT pg_wal_replay_pause()"),
    resume: () => ask("SELECT pg_wal_replay_resume()"),
    promote: () => control("promote").then(() => {}),
    kill: () => control("-m", "immediate", "stop").then(() => {}),
    stop: async () => {
      await control("-m", "immediate", "stop").catch(() => {});
      await remove();
    },
  };
}
