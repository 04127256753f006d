import { reviewAgainstRows } from "@loyal-quill/authoring";
import {
  type Catalog,
  type Database,
  isError,
  lastSealStatement,
  leastLogVersion,
  logVersion,
  missingMonths,
  type Page,
  parsePage,
  partitionName,
  readCatalog,
  readLogState,
  tableName,
} from "@loyal-quill/core";
import { connect, databaseOver, loadPageFiles, Replicas, sealKey } from "@loyal-quill/runtime";
import { leastKeyLength, migrationNames, storeStateOf, whatIsThere } from "@loyal-quill/server/pages";
import { quill } from "../called.js";
import { secretOf, secretsOfEnvironment, shownUrl } from "../from-environment.js";

interface DoctorOptions {
  readonly database: string;
  readonly store: string | undefined;
  /** The directory of the page files. */
  readonly pages: string | undefined;
  readonly replicas: readonly string[];
  readonly poolSize: number;
  readonly now: Date;
}

/** What was looked at, how it is, and what is to be done about it. */
interface Diagnosis {
  readonly what:
    | "connection"
    | "encryption"
    | "version"
    | "rights"
    | "log"
    | "partitions"
    | "seals"
    | "pages"
    | "indexes"
    | "clock"
    | "connections"
    | "keys"
    | "store"
    | "replica";
  readonly state: "good" | "doubtful" | "bad";
  readonly said: string;
  /** Null where there is nothing to do. */
  readonly advice: string | null;
}

const good = (what: Diagnosis["what"], said: string): Diagnosis => ({ what, state: "good", said, advice: null });
const doubtful = (what: Diagnosis["what"], said: string, advice: string): Diagnosis => ({
  what,
  state: "doubtful",
  said,
  advice,
});
const bad = (what: Diagnosis["what"], said: string, advice: string): Diagnosis => ({
  what,
  state: "bad",
  said,
  advice,
});

/** The oldest PostgreSQL that the pages and the log work with. */
const leastVersion = 140_000;
/** Clocks that differ by more than this, in seconds, make times in the log and ages of forms hard to understand. */
const mostApart = 2;
/** A table of more rows is slow to put in order without an index. */
const large = 10_000;
/** The last seal is older than this, in hours, only where nobody makes any. */
const sealedWithin = 2;

const serverStatement = {
  purpose: "which server",
  text: `SELECT current_setting('server_version') AS "version", current_setting('server_version_num') AS "number", pg_is_in_recovery()::text AS "follows",
  extract(epoch FROM clock_timestamp())::text AS "clock", current_setting('max_connections') AS "most",
  current_setting('superuser_reserved_connections') AS "reserved",
  (SELECT count(*) FROM pg_stat_activity WHERE backend_type = 'client backend')::text AS "used"`,
  values: [],
};

const encryptionStatement = {
  purpose: "whether the connection is encrypted",
  text: `SELECT (SELECT s.version FROM pg_stat_ssl AS s WHERE s.pid = pg_backend_pid() AND s.ssl) AS "version", host(inet_client_addr()) AS "from"`,
  values: [],
};

/** Whether what goes to a server can be read on its way. @param from the address that the server is asked from; null for a socket in a directory */
export function encryptionOf(what: string, version: string | null, from: string | null): Diagnosis {
  if (version !== null) return good("encryption", `${what}: ${version}`);
  if (from === null || from === "::1" || from.startsWith("127."))
    return good("encryption", `${what}: none, and none is needed on the same machine`);
  return doubtful(
    "encryption",
    `${what}: none, so what goes between ${from} and the server can be read on its way`,
    "Add sslmode=verify-full to its address, and sslrootcert where the certificate is of an authority of your own.",
  );
}

async function ofEncryption(what: string, database: Database): Promise<Diagnosis> {
  const [row] = await database.run(encryptionStatement);
  return encryptionOf(what, row?.version ?? null, row?.from ?? null);
}

async function ofServer(database: Database, options: DoctorOptions): Promise<Diagnosis[]> {
  const before = Date.now();
  const [row] = await database.run(serverStatement);
  const between = (before + Date.now()) / 2000;
  const apart = Number(row?.clock ?? 0) - between;
  const free = Number(row?.most ?? 0) - Number(row?.reserved ?? 0);
  return [
    row?.follows === "true"
      ? bad(
          "connection",
          "it is a standby, on which nothing can be saved",
          "Name the primary, or all servers with target_session_attrs=read-write: see docs/scaling.md.",
        )
      : good("connection", "reached; it takes saves"),
    await ofEncryption("to the database", database),
    Number(row?.number ?? 0) < leastVersion
      ? bad("version", `PostgreSQL ${row?.version}`, "PostgreSQL 14 or newer is needed.")
      : good("version", `PostgreSQL ${row?.version}`),
    Math.abs(apart) > mostApart
      ? doubtful(
          "clock",
          `the database's clock is ${Math.abs(apart).toFixed(1)} s ${apart > 0 ? "ahead of" : "behind"} this machine's`,
          "Let both machines take the time from the same source (NTP).",
        )
      : good("clock", `the database's and this machine's are ${Math.abs(apart).toFixed(1)} s apart`),
    free < options.poolSize
      ? bad(
          "connections",
          `the server takes ${free}, and one process may want ${options.poolSize}`,
          "Raise max_connections, lower --pool-size, or put a pooler before it: see docs/scaling.md.",
        )
      : good("connections", `the server takes ${free} and has ${row?.used}; a process may want ${options.poolSize}`),
  ];
}

async function ofLog(database: Database, { now }: DoctorOptions): Promise<Diagnosis[]> {
  const state = await readLogState(database);
  const install = `As the database's owner: ${quill} log install --database URL --for ROLE`;
  if (!state.there) return [bad("log", "there is none, and nothing is saved without one", install)];
  if (state.version < leastLogVersion || state.since > logVersion)
    return [bad("log", `it is of version ${state.version}, and this program writes version ${logVersion}`, install)];
  if (!state.usable) return [bad("log", "this connection may not add to it", install)];
  const found: Diagnosis[] = [
    state.version < logVersion
      ? doubtful("log", `it is of version ${state.version}, of which ${logVersion} is the newest`, install)
      : good("log", `version ${state.version}`),
    state.superuser || state.owned || state.alterable
      ? bad(
          "rights",
          `the user ${state.superuser ? "is a superuser" : state.owned ? "owns the log" : "may change entries of the log"}, so the log proves nothing`,
          "Serve pages as a role of their own, with no more than the rights on the tables that they edit.",
        )
      : good("rights", "the user may add to the log, and change nothing in it"),
  ];
  const missing = missingMonths(state.partitions, now).map((month) => partitionName(month));
  found.push(
    missing.length > 0
      ? doubtful("partitions", `missing: ${missing.join(", ")}; entries go to the default partition`, install)
      : good("partitions", "those of the coming months are there"),
  );
  const [seal] = await database.run(lastSealStatement());
  const age = seal ? (now.getTime() - Date.parse(seal.at ?? "")) / 3_600_000 : Number.POSITIVE_INFINITY;
  const waiting = Number(seal?.waiting ?? 0);
  found.push(
    !seal || (waiting > 0 && age > sealedWithin)
      ? doubtful(
          "seals",
          seal
            ? `the last one is ${Math.round(age)} hours old, and ${waiting} entries have none`
            : "there are none yet",
          `A server that serves pages makes them each hour; by hand: ${quill} log seal --database URL`,
        )
      : good("seals", `the last one is number ${seal.number}, ${waiting} entries wait for the next one`),
  );
  return found;
}

/** What the list of a page over a large table has no index for. */
function* slowLists({ table, list, name }: Page): Generator<Diagnosis> {
  if ((table.rows ?? 0) <= large) return;
  const has = `${tableName(table)} has ${table.rows} rows`;
  const { column } = list.sort;
  if (!table.indexes.some(([first]) => first === column.name))
    yield doubtful(
      "indexes",
      `${name}: the list is in the order of ${column.name}; ${has} and no index for it`,
      `CREATE INDEX CONCURRENTLY ON ${tableName(table)} (${column.name});`,
    );
  const searched = (list.search ?? []).filter((each) => !table.trigrams?.includes(each.name));
  if (searched[0])
    yield doubtful(
      "indexes",
      `${name}: a search looks into ${searched.map((each) => each.name).join(", ")}; ${has} and no index of trigrams there`,
      `CREATE EXTENSION IF NOT EXISTS pg_trgm; CREATE INDEX CONCURRENTLY ON ${tableName(table)} USING gin (${searched[0].name} gin_trgm_ops);`,
    );
}

async function ofPages(database: Database, catalog: Catalog, directory: string): Promise<Diagnosis[]> {
  const { files } = await loadPageFiles(directory, database);
  const found: Diagnosis[] = [];
  for (const { name, text, page, findings } of files) {
    const parsed = parsePage(text);
    const more = page && parsed.ok ? await reviewAgainstRows(page, parsed.page, database) : [];
    const errors = [...findings, ...more].filter(isError);
    if (errors[0])
      found.push(
        bad(
          "pages",
          `${name}: ${errors.length} errors, the first: ${errors[0].message}`,
          `${quill} check ${directory}`,
        ),
      );
    if (page) found.push(...slowLists(page));
  }
  const served = files.filter(({ page }) => page !== null).length;
  return [
    ...(served > 0 || files.length > 0
      ? [good("pages", `${served} of ${files.length} can be served, of ${catalog.tables.length} tables`)]
      : [doubtful("pages", "there are none", `${quill} draft --all --to ${directory}`)]),
    ...found,
  ];
}

function ofKeys(): Diagnosis[] {
  const keys = secretsOfEnvironment("QUILL_SIGNING_KEYS", "QUILL_SIGNING_KEY");
  const seal = secretOf("QUILL_SEAL_KEY");
  const found: Diagnosis[] = [
    keys === undefined
      ? doubtful(
          "keys",
          "QUILL_SIGNING_KEYS is not set: each process makes its own, and forms and sessions end with it",
          "Make one with: openssl rand -hex 32",
        )
      : keys.some((key) => Buffer.byteLength(key) < leastKeyLength)
        ? bad(
            "keys",
            `one of QUILL_SIGNING_KEYS is shorter than ${leastKeyLength} bytes`,
            "Make one with: openssl rand -hex 32",
          )
        : good("keys", `${keys.length} in QUILL_SIGNING_KEYS`),
  ];
  if (seal === undefined) return found;
  try {
    sealKey(seal);
    return [...found, good("keys", "QUILL_SEAL_KEY can sign seals")];
  } catch (error) {
    return [...found, bad("keys", `QUILL_SEAL_KEY can't sign seals: ${(error as Error).message}`, "See docs/log.md.")];
  }
}

async function ofStore(url: string): Promise<Diagnosis[]> {
  return onPool(url, async (database) => {
    // Whoever looks changes nothing: its tables are not brought up to date.
    const [row] = await database.run(whatIsThere);
    if (row?.edited === "true")
      return [
        bad(
          "store",
          `${shownUrl(url)}: this is the edited database, with its change log`,
          "Make a database of its own for the store, and name it in QUILL_STORE: see docs/deploying.md.",
        ),
      ];
    const state = storeStateOf(row);
    if (state === "other")
      return [
        bad(
          "store",
          `${shownUrl(url)}: there is no store, and there are tables of something else`,
          "Make a database of its own for the store, and name it in QUILL_STORE: see docs/deploying.md.",
        ),
      ];
    if (state === "empty")
      return [good("store", `${shownUrl(url)} is reached and empty: it is filled at the first start`)];
    const done = await database.run({
      purpose: "migrations",
      text: 'SELECT name AS "name" FROM migration',
      values: [],
    });
    const encryption = await ofEncryption("to the store", database);
    const names = new Set(done.map(({ name }) => name));
    const waiting = migrationNames.filter((name) => !names.has(name)).length;
    const processes =
      row?.several === "true"
        ? await database.run({
            purpose: "processes",
            text: `SELECT version AS "version" FROM process WHERE beat > now() - interval '20 seconds'`,
            values: [],
          })
        : [];
    const versions = [...new Set(processes.map(({ version }) => version))];
    return [
      good(
        "store",
        `reached; ${processes.length} processes use it${waiting > 0 ? `; it is brought up to date at the next start (${waiting} steps)` : ""}`,
      ),
      encryption,
      ...(versions.length > 1
        ? [
            doubtful(
              "store",
              `processes of ${versions.join(" and ")} use it`,
              "Restart those of the older version once the newer ones serve.",
            ),
          ]
        : []),
    ];
  });
}

async function ofReplicas(primary: Database, urls: readonly string[]): Promise<Diagnosis[]> {
  const given = urls.map((url) => {
    const pool = connect(url, 1);
    return { place: shownUrl(url), database: databaseOver(pool), end: () => pool.end() };
  });
  const replicas = new Replicas(primary, given);
  await replicas.look();
  const found = replicas
    .reports()
    .map(({ place, state, behind }) =>
      state === "following"
        ? good("replica", `${place} follows, ${behind ?? 0} ms behind`)
        : bad("replica", `${place} is ${state}`, "It is not read from. See docs/scaling.md."),
    );
  await replicas.close();
  return found;
}

/** How long one thing is waited for, in milliseconds: whatever hangs, the others are told. */
const patience = 5000;

/** Runs something on a pool of its own, which nobody waits for to end. */
async function onPool<Result>(url: string, run: (database: Database) => Promise<Result>): Promise<Result> {
  const pool = connect(url, 2, patience - 1000);
  try {
    return await run(databaseOver(pool, { statement: patience - 1000, answer: 500, connect: patience - 1000 }));
  } finally {
    void pool.end().catch(() => {});
  }
}

/** What is found of one thing; that it did not answer, or what failed, where it is not found out in time. */
async function within(
  what: Diagnosis["what"],
  where: string,
  advice: string,
  look: () => Promise<Diagnosis[]>,
): Promise<Diagnosis[]> {
  let timer: NodeJS.Timeout | undefined;
  const late = new Promise<Diagnosis[]>((resolve) => {
    timer = setTimeout(
      () => resolve([bad(what, `${where} did not answer within ${patience / 1000} s`, advice)]),
      patience,
    );
  });
  const looked = look().catch((error: unknown) => [bad(what, `${where}: ${(error as Error).message}`, advice)]);
  const came = await Promise.race([looked, late]);
  clearTimeout(timer);
  return came;
}

/** Looks at everything that serving pages needs, each thing for itself and all at once. */
export async function diagnose(options: DoctorOptions): Promise<readonly Diagnosis[]> {
  const { database: url, pages, replicas, store } = options;
  const reach = "Look at the address, the user, and whether the server takes connections from here.";
  const here = shownUrl(url);
  const server = within("connection", here, reach, () => onPool(url, (database) => ofServer(database, options)));
  const parts = [
    server,
    within("log", here, "Look at what else the server does just now.", () =>
      onPool(url, (database) => ofLog(database, options)),
    ),
    pages === undefined
      ? []
      : within("pages", pages, "Look at what else the server does just now.", () =>
          onPool(url, async (database) => ofPages(database, await readCatalog(database), pages)),
        ),
    replicas.length === 0
      ? []
      : within("replica", "a standby", "It is not read from. See docs/scaling.md.", () =>
          onPool(url, (database) => ofReplicas(database, replicas)),
        ),
    ofKeys(),
    store === undefined ? [] : within("store", shownUrl(store), "See docs/deploying.md.", () => ofStore(store)),
  ];
  const [connection = [], ...rest] = await Promise.all(parts);
  const isAway =
    connection.some(({ what, state }) => what === "connection" && state === "bad") && connection.length === 1;
  // Where the database itself is not reached, that is said once.
  return isAway
    ? [...connection, ...rest.flat().filter(({ what }) => what === "keys" || what === "store")]
    : [...connection, ...rest.flat()];
}

const signs: Readonly<Record<Diagnosis["state"], string>> = { good: "good    ", doubtful: "doubtful", bad: "bad     " };

/** `quill doctor`: everything that serving pages needs, a line each, and what to do. @returns the exit code: 1 where something is bad */
export async function doctor(
  options: DoctorOptions & { json: boolean },
  write: (line: string) => void,
): Promise<number> {
  const found = await diagnose(options);
  if (options.json) write(JSON.stringify(found, null, 2));
  else
    for (const { what, state, said, advice } of found) {
      write(`${signs[state]}  ${what.padEnd(11)}  ${said}`);
      if (advice !== null) write(`${" ".repeat(23)}${advice}`);
    }
  return found.some(({ state }) => state === "bad") ? 1 : 0;
}
