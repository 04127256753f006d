// `npm run test:backup`: backs up and restores as docs/deploying.md says, to another PostgreSQL. The log verifies there, also against the seals that
// were kept elsewhere; sessions and forms that were open before the backup go on; and a backup that lacks what came after it is told by those seals.
import { type ChildProcess, execFile, spawn } from "node:child_process";
import { chmod, mkdir, mkdtemp, writeFile } from "node:fs/promises";
import os from "node:os";
import path from "node:path";
import process from "node:process";
import { promisify } from "node:util";
import { bodyOf, type Client, endsWithUs, formOf } from "@loyal-quill/testing";
import { type Cluster, freePort, provision, secretsOf, startCluster } from "loyal-quill";
import pg from "pg";
import { addAccounts, ended, ownersLog, program, signedIn, slipPage, sql, untilReady } from "./ground.js";

const execute = promisify(execFile);
const say = (line: string): void => void process.stdout.write(`${line}\n`);
const wrong: string[] = [];
/** Says what is as it should be, and remembers what is not. */
function expect(what: string, is: boolean, said = ""): void {
  say(`${is ? "as told  " : "WRONG    "} ${what}${is || said === "" ? "" : `: ${said}`}`);
  if (!is) wrong.push(what);
}

const names = { edited: "marrow_vale", store: "quill_store" } as const;
const directory = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-backup-"));
await chmod(directory, 0o711);
const remove = endsWithUs(directory);
const secrets = await secretsOf(directory);
const silent = (): void => {};
const pages = path.join(directory, "pages");
await mkdir(pages);
await writeFile(path.join(pages, "slip.page.yaml"), slipPage);
const seals = path.join(directory, "seals.jsonl");

/** A PostgreSQL with the roles of the demo, and its databases. */
async function cluster(name: string) {
  const running = await startCluster(path.join(directory, name), secrets.postgres, silent);
  const urls = await provision(running, secrets, { fresh: false, now: new Date() }, silent);
  return { running, urls, owner: (database: string) => running.url("postgres", secrets.postgres, database) };
}

async function rows<Row extends pg.QueryResultRow>(url: string, text: string): Promise<Row[]> {
  const client = new pg.Client(url);
  await client.connect();
  try {
    return (await client.query<Row>(text)).rows;
  } finally {
    await client.end();
  }
}

/** A server over the databases of a cluster, with the keys that all of them have. */
async function serve(urls: {
  readonly pages: string;
  readonly store: string;
}): Promise<{ child: ChildProcess; port: number }> {
  const port = await freePort();
  const child = spawn(
    process.execPath,
    [program, "serve", "--pages", pages, "--port", String(port), "--no-workbench", "--seals-to", seals],
    {
      stdio: "pipe",
      env: {
        ...process.env,
        DATABASE_URL: urls.pages,
        QUILL_STORE: urls.store,
        QUILL_SIGNING_KEY: secrets.signing,
        LOG_LEVEL: "silent",
      },
    },
  );
  child.stderr?.on("data", (part: Buffer) => process.stderr.write(part));
  await untilReady(child);
  return { child, port };
}
async function stop(child: ChildProcess): Promise<void> {
  child.kill("SIGTERM");
  await ended(child);
}

async function dump(from: (database: string) => string, to: string): Promise<void> {
  await mkdir(to);
  for (const database of Object.values(names))
    await execute("pg_dump", ["--format=custom", `--file=${path.join(to, database)}`, `--dbname=${from(database)}`]);
}

/** Puts a dump in the place of the databases that a cluster has. */
async function restore(owner: (database: string) => string, from: string): Promise<void> {
  for (const database of Object.values(names)) {
    const [found] = await rows<{ owner: string }>(
      owner("postgres"),
      `SELECT datdba::regrole::text AS owner FROM pg_database WHERE datname = '${database}'`,
    );
    await rows(owner("postgres"), `DROP DATABASE ${database} WITH (FORCE)`);
    await rows(owner("postgres"), `CREATE DATABASE ${database} OWNER ${found?.owner}`);
    await execute("pg_restore", ["--exit-on-error", `--dbname=${owner(database)}`, path.join(from, database)]);
  }
}

const verified = async (
  url: string,
  ...words: readonly string[]
): Promise<readonly { kind: string; place: string }[]> =>
  (
    JSON.parse(await ownersLog(() => url)("verify", "--json", ...words)) as {
      findings: { kind: string; place: string }[];
    }
  ).findings;

const running: Cluster[] = [];
try {
  const before = await cluster("before");
  running.push(before.running);
  const edited = before.owner(names.edited);
  await rows(edited, sql);
  const log = ownersLog(() => edited);
  await log("watch", "proof.slip");
  const { emails, password } = await addAccounts(before.urls.store);
  const first = await serve(before.urls);
  const client: Client = await signedIn(`http://127.0.0.1:${first.port}`, emails[0] ?? "", password);
  const save = async (id: number, body: string): Promise<number> =>
    (await client.post(`/slips/${id}/edit`, bodyOf(formOf((await client.get(`/slips/${id}/edit`)).text), { body })))
      .status;
  for (let id = 1; id <= 20; id++) if ((await save(id, `before ${id}`)) !== 303) wrong.push(`slip ${id} was not saved`);
  await log("seal", "--to", seals);
  const open = formOf((await client.get("/slips/7/edit")).text);
  const backup = path.join(directory, "backup");
  await dump(before.owner, backup);
  // What came after the backup is not in it.
  await save(30, "after the backup");
  await log("seal", "--to", seals);
  const later = path.join(directory, "later");
  await dump(before.owner, later);
  await stop(first.child);

  const after = await cluster("after");
  running.push(after.running);
  await restore(after.owner, later);
  const restored = after.owner(names.edited);
  expect(
    "the log verifies where it was restored",
    (await verified(restored)).length === 0,
    JSON.stringify(await verified(restored)),
  );
  const against = await verified(restored, "--seals", seals);
  expect("it is all of it, by the seals that were kept elsewhere", against.length === 0, JSON.stringify(against));
  const second = await serve(after.urls);
  // The same browser: its session, and the form that it had opened.
  Object.assign(client, { base: `http://127.0.0.1:${second.port}` });
  const { status } = await client.get("/slips/7");
  expect("a session of before goes on", status === 200, String(status));
  const sent = await client.post("/slips/7/edit", bodyOf(open, { body: "opened before, sent after" }));
  expect("a form that was open before is taken", sent.status === 303, `${sent.status} ${sent.text.slice(0, 300)}`);
  const [slip] = await rows<{ body: string }>(restored, "SELECT body FROM proof.slip WHERE id = 7");
  expect("it is stored", slip?.body === "opened before, sent after", slip?.body);
  const [entry] = await rows<{ count: number }>(
    restored,
    `SELECT count(*)::integer AS count FROM quill_log.change WHERE table_name = 'proof.slip' AND record_key = '{"id":"7"}'`,
  );
  expect("the log has it beside the one of before", entry?.count === 2, String(entry?.count));
  await ownersLog(() => restored)("seal", "--to", seals);
  const onward = await verified(restored, "--seals", seals);
  expect("the log goes on, and verifies", onward.length === 0, JSON.stringify(onward));
  await stop(second.child);

  await restore(after.owner, backup);
  const alone = await verified(restored);
  expect("an older backup verifies by itself", alone.length === 0, JSON.stringify(alone));
  const lacking = await verified(restored, "--seals", seals);
  expect(
    "that it lacks what came after is told by the seals that were kept elsewhere",
    lacking.length > 0 && lacking.every(({ kind }) => kind === "outside"),
    JSON.stringify(lacking),
  );
} finally {
  for (const each of running) await each.stop().catch(() => {});
  await remove();
}
say(`\n${wrong.length} things are not as they are told.`);
process.exitCode = wrong.length > 0 ? 1 : 0;
