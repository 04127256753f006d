// `npm run test:fleet -- [part of a scenario's name]`: several server processes behind a small proxy, a pooler before PostgreSQL, a synchronous
// standby and one that is read from; what happens to them happens under load. Every save that was answered as saved must be in table and log once.
import { type ChildProcess, spawn } from "node:child_process";
import { chmod, mkdir, mkdtemp, readFile, writeFile } from "node:fs/promises";
import os from "node:os";
import path from "node:path";
import process from "node:process";
import {
  bodyOf,
  type Client,
  endsWithUs,
  formOf,
  type Pooler,
  type Standby,
  startPooler,
  startStandby,
} from "@loyal-quill/testing";
import { freePort, provision, secretsOf, startCluster } from "loyal-quill";
import pg from "pg";
import { type Balancer, startBalancer } from "./balancer.js";
import {
  addAccounts,
  ended,
  findingsOf,
  ownersLog,
  program,
  signedIn,
  slipPage,
  slips,
  sql,
  untilReady,
} from "./ground.js";
import { type Record, underLoad } from "./load.js";
import { disagreements } from "./verify.js";

const say = (line: string): void => void process.stdout.write(`${line}\n`);
const pause = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));

interface Server {
  readonly port: number;
  readonly child: ChildProcess;
}

/** Everything that there is, on loopback. */
interface Fleet {
  readonly clients: readonly Client[];
  /** Those who save a record of their own and look at it. */
  readonly readers: readonly Client[];
  readonly balancer: Balancer;
  readonly pooler: Pooler;
  /** The standby that acknowledges each save, and the one that is read from. */
  readonly standby: Standby;
  readonly replica: Standby;
  readonly servers: Server[];
  readonly start: () => Promise<Server>;
  /** Ends the primary in the middle of what it does, for good. */
  readonly killPrimary: () => Promise<void>;
  readonly rows: <Row extends pg.QueryResultRow>(text: string) => Promise<Row[]>;
  readonly verified: () => Promise<readonly string[]>;
  readonly measured: (name: string) => Promise<number>;
}

/** @param isPooled whether the servers go through the pooler; else straight to the primary, with the standby as the other host */
async function withFleet<Result>(isPooled: boolean, run: (fleet: Fleet) => Promise<Result>): Promise<Result> {
  const directory = await mkdtemp(path.join(os.tmpdir(), "loyal-quill-fleet-"));
  await chmod(directory, 0o711);
  const remove = endsWithUs(directory);
  const secrets = await secretsOf(directory);
  const silent = (): void => {};
  const home = path.join(directory, "postgres");
  const cluster = await startCluster(home, secrets.postgres, silent);
  const databases = await provision(cluster, secrets, { fresh: false, now: new Date() }, silent);
  let primary = cluster.port;
  const owned = (): string => {
    const url = new URL(cluster.url("postgres", secrets.postgres, "marrow_vale"));
    url.port = String(primary);
    return url.href;
  };
  const rows: Fleet["rows"] = async (text) => {
    const client = new pg.Client(owned());
    await client.connect();
    try {
      return (await client.query(text)).rows;
    } finally {
      await client.end();
    }
  };
  const log = ownersLog(owned);
  await rows(sql);
  await rows(
    `INSERT INTO proof.slip (id, body) SELECT n, 'begin ' || n FROM generate_series(${slips + 1}, ${slips + 4}) AS n`,
  );
  await log("watch", "proof.slip");
  const standby = await startStandby(primary, secrets.postgres, "sync");
  const replica = await startStandby(primary, secrets.postgres, "replica");
  await rows("ALTER SYSTEM SET synchronous_standby_names = 'sync'");
  await rows("SELECT pg_reload_conf()");
  const users = { quill_pages: secrets.pages, quill_store: secrets.store, quill_reader: secrets.reader };
  const pooler = await startPooler(primary, users, 12);
  const pages = path.join(directory, "pages");
  await mkdir(pages);
  await writeFile(path.join(pages, "slip.page.yaml"), slipPage);
  const { emails, password } = await addAccounts(databases.store);
  const at = (url: string, port: number): string => {
    const other = new URL(url);
    other.port = String(port);
    return other.href;
  };
  const several = (url: string): string =>
    url.replace(`127.0.0.1:${cluster.port}`, `127.0.0.1:${cluster.port},127.0.0.1:${standby.port}`) +
    "?target_session_attrs=read-write";
  const reached = (url: string): string => (isPooled ? at(url, pooler.port) : several(url));
  const servers: Server[] = [];
  const balancer = await startBalancer();
  const metricsPort = await freePort();
  const start = async (): Promise<Server> => {
    const port = await freePort();
    const isFirst = servers.length === 0;
    const told = ["serve", "--pages", pages, "--port", String(port), "--no-workbench", "--drain-delay", "1"];
    told.push("--replica", at(databases.pages, replica.port), "--stop-within", "8");
    if (isFirst) told.push("--metrics-port", String(metricsPort));
    const child = spawn(process.execPath, [program, ...told], {
      stdio: "pipe",
      env: {
        ...process.env,
        DATABASE_URL: reached(databases.pages),
        QUILL_STORE: reached(databases.store),
        QUILL_SIGNING_KEY: secrets.signing,
        LOG_LEVEL: "silent",
      },
    });
    child.stderr?.on("data", (part: Buffer) => process.stderr.write(part));
    await untilReady(child);
    const server = { port, child };
    servers.push(server);
    balancer.lead(servers.map((each) => each.port));
    return server;
  };
  const killPrimary = async (): Promise<void> => {
    const [pid] = (await readFile(path.join(home, "cluster", "postmaster.pid"), "utf8")).split("\n");
    process.kill(Number(pid), "SIGQUIT");
    primary = standby.port;
  };
  const verified: Fleet["verified"] = () => findingsOf(log);
  const measured: Fleet["measured"] = async (name) => {
    const text = await (await fetch(`http://127.0.0.1:${metricsPort}/metrics`)).text();
    const values = text.split("\n").filter((line) => line.startsWith(name));
    return values.reduce((sum, line) => sum + Number(line.split(" ").at(-1)), 0);
  };
  try {
    await start();
    await start();
    while (balancer.able().length < 2) await pause(50);
    const address = `http://127.0.0.1:${balancer.port}`;
    const all = await Promise.all(emails.map((email) => signedIn(address, email, password)));
    const [clients, readers] = [all.slice(4), all.slice(0, 4)];
    const parts = {
      clients,
      readers,
      balancer,
      pooler,
      standby,
      replica,
      servers,
      start,
      killPrimary,
      rows,
      verified,
      measured,
    };
    return await run(parts);
  } finally {
    for (const { child } of servers) child.kill("SIGKILL");
    await balancer.close();
    await pooler.stop();
    await Promise.all([standby.stop(), replica.stop()]);
    await cluster.stop().catch(() => {});
    await remove();
  }
}

const remove = (fleet: Fleet, server: Server): void => {
  fleet.servers.splice(fleet.servers.indexOf(server), 1);
  fleet.balancer.lead(fleet.servers.map((each) => each.port));
};

interface Scenario {
  readonly name: string;
  readonly pooled: boolean;
  /** Whether no request may fail. */
  readonly unnoticed: boolean;
  /** @returns what there is to tell besides */
  readonly run: (fleet: Fleet, savedAt: () => readonly number[]) => Promise<string>;
}

const scenarios: readonly Scenario[] = [
  {
    name: "two processes behind a pooler, one is killed and another takes its place",
    pooled: true,
    unnoticed: false,
    run: async (fleet) => {
      const [first] = fleet.servers;
      if (!first) throw new Error("there is no server");
      first.child.kill("SIGKILL");
      await ended(first.child);
      remove(fleet, first);
      await fleet.start();
      return "";
    },
  },
  {
    name: "rolling restart: each process ends in order and another takes its place",
    pooled: true,
    unnoticed: true,
    run: async (fleet) => {
      let turns = 0;
      for (const server of [...fleet.servers]) {
        await fleet.start();
        server.child.kill("SIGTERM");
        const code = await ended(server.child);
        if (code !== 0) throw new Error(`a server ended with ${code}`);
        remove(fleet, server);
        turns++;
      }
      return `${turns} processes replaced`;
    },
  },
  {
    name: "the replica stands still, goes away and comes to nothing",
    pooled: true,
    unnoticed: true,
    run: async ({ replica, measured }) => {
      const before = await measured('quill_replica_requests{database="",place');
      await replica.pause();
      await pause(4000);
      await replica.resume();
      await pause(2000);
      const between = await measured('quill_replica_requests{database="",place');
      const begun = performance.now();
      await replica.kill();
      while ((await measured("quill_replica_up")) > 0) await pause(50);
      const noticed = (performance.now() - begun) / 1000;
      await pause(3000);
      return `${between - before} requests of one process read there meanwhile; that it is away is noticed after ${noticed.toFixed(1)} s`;
    },
  },
  {
    name: "the primary is killed, and the synchronous standby promoted",
    pooled: false,
    unnoticed: false,
    run: ({ killPrimary, standby }, savedAt) => failover(killPrimary, () => standby.promote(), savedAt),
  },
  {
    name: "the primary is killed behind the pooler, which is led to the promoted standby",
    pooled: true,
    unnoticed: false,
    run: ({ killPrimary, standby, pooler }, savedAt) =>
      failover(
        killPrimary,
        async () => {
          await standby.promote();
          await pooler.lead(standby.port);
        },
        savedAt,
      ),
  },
];

/** The primary goes, and a second and a half later something takes its place. */
async function failover(
  killPrimary: () => Promise<void>,
  promote: () => Promise<void>,
  savedAt: () => readonly number[],
): Promise<string> {
  await killPrimary();
  await pause(1500);
  const begun = performance.now();
  await promote();
  const promoted = performance.now();
  while (!savedAt().some((at) => at > promoted)) {
    if (performance.now() - promoted > 30_000) throw new Error("nothing is saved after half a minute");
    await pause(20);
  }
  const back = savedAt().find((at) => at > begun) ?? 0;
  return `the first save ${((back - begun) / 1000).toFixed(1)} s after the promotion was asked for, which took ${((promoted - begun) / 1000).toFixed(1)} s`;
}

/** What those came to who read. */
interface Seen {
  reads: number;
  failed: number;
  /** Reads that did not show what the same person had just saved. */
  missing: number;
}

/** Some people save a record of their own and look at it at once: it is read from the replica, and what they saved must be there. */
async function read(fleet: Fleet, stopped: () => boolean, seen: Seen): Promise<void> {
  const one = async (client: Client, id: number): Promise<void> => {
    for (let turn = 0; !stopped(); turn++) {
      const text = `read ${id} ${turn}`;
      try {
        const form = await client.get(`/slips/${id}/edit`);
        const saved =
          form.status === 200
            ? await client.post(`/slips/${id}/edit`, bodyOf(formOf(form.text), { name: text }))
            : form;
        if (saved.status !== 303) {
          if (saved.status >= 500) seen.failed++;
          await pause(50);
          continue;
        }
        const [record, list] = [await client.get(`/slips/${id}`), await client.get("/slips")];
        seen.reads += 2;
        if (record.status >= 500 || list.status >= 500) seen.failed++;
        else if (!record.text.includes(text)) seen.missing++;
      } catch {
        seen.failed++;
        await pause(50);
      }
    }
  };
  await Promise.all(fleet.readers.map((client, index) => one(client, slips + 1 + index)));
}

const [wanted = ""] = process.argv.slice(2);
const wrong: string[] = [];
const table: string[] = [];
for (const scenario of scenarios.filter(({ name }) => name.includes(wanted))) {
  const begun = performance.now();
  await withFleet(scenario.pooled, async (fleet) => {
    let told = "";
    const seen: Seen = { reads: 0, failed: 0, missing: 0 };
    let stopped = false;
    const reading = read(fleet, () => stopped, seen);
    const record: Record = await underLoad(fleet, scenario.name.slice(0, 8), async (so) => {
      told = await scenario.run(fleet, () => so.savedAt);
    });
    stopped = true;
    await reading;
    const found = [...(await disagreements(fleet, record))];
    if (scenario.unnoticed && record.failed + seen.failed > 0)
      found.push(`${record.failed + seen.failed} requests failed, and none should`);
    if (seen.missing > 0) found.push(`${seen.missing} reads did not show what the same person had just saved`);
    if (record.lost > 0) found.push(`${record.lost} answers 5xx did not keep what was typed`);
    wrong.push(...found.map((each) => `${scenario.name}: ${each}`));
    const fates = [...record.fates.values()];
    const times = [...record.savedAt].sort((a, b) => a - b);
    const gap = Math.max(0, ...times.slice(1).map((time, index) => time - (times[index] ?? time))) / 1000;
    const saved = fates.filter((fate) => fate === "saved").length;
    table.push(
      `| ${scenario.name} | ${saved} | ${seen.reads} | ${record.failed + seen.failed} | ${record.conflicts} | ${record.toldLater} | ${gap.toFixed(1)} s | ${told} |`,
    );
    say(
      `${scenario.name}: ${saved} saved, ${seen.reads} lists read, ${record.failed + seen.failed} failed, longest gap ${gap.toFixed(1)} s; ${told} (${((performance.now() - begun) / 1000).toFixed(0)} s)`,
    );
    for (const each of found.slice(0, 10)) say(`  WRONG: ${each}`);
  });
}
say("\n| scenario | saved | lists read | failed | conflicts | told later | longest gap without a save | |");
say("|---|---|---|---|---|---|---|---|");
for (const line of table) say(line);
say(`\n${wrong.length} things are not as they were told.`);
process.exitCode = wrong.length > 0 ? 1 : 0;
