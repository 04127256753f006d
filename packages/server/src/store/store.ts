import { type Database, keyIn, type Row, type Statement } from "@loyal-quill/core";
import { connect, connectionTo, databaseOver, type VerifyReport } from "@loyal-quill/runtime";
import pg from "pg";
import { KeptJobs } from "../processes/kept-jobs.js";
import { Accounts } from "./accounts.js";
import { connectionLimits, endWhenSilent } from "./connection.js";
import { Drafts } from "./drafts.js";
import {
  AccountEntity,
  DraftEntity,
  LookEntity,
  RequestEntity,
  TokenEntity,
  TrailEntity,
  VerificationEntity,
  VersionEntity,
} from "./entities.js";
import type { InStore } from "./in-store.js";
import { KeptRequests } from "./kept-requests.js";
import { migrationNames } from "./migration-names.js";
import { MikroORM } from "./orm.js";
import { Tokens } from "./tokens.js";
import { TrailLines } from "./trail-lines.js";
import { Versions } from "./versions.js";
import { storeStateOf, whatIsThere } from "./what-is-there.js";

/**
 * How a database is reached, which may be one of several servers. `pg` reads the connection string: of its own reading MikroORM keeps host, port,
 * user and name, and would leave out that the connection is to be encrypted (`sslmode`).
 */
function reached(url: string) {
  const connection = connectionTo(url);
  const { host, port, user = "", database = "" } = new pg.Client(connection);
  return {
    host,
    port,
    user,
    dbName: database,
    driverOptions: { ...shared.driverOptions, connection: { ...connectionLimits, ...connection } },
  };
}

const shared = {
  // Whoever names a database that is not there has mistyped it.
  ensureDatabase: false,
  discovery: { disableDynamicFileAccess: true },
  debug: false,
  logger: () => {},
  driverOptions: {
    // A store that is away is told by whoever asks it.
    log: { warn() {}, error() {}, debug() {}, deprecate() {} },
    connection: connectionLimits,
    pool: { acquireTimeoutMillis: 5000, afterCreate: endWhenSilent },
  },
};

/** The last change of a page. */
interface LastChange {
  readonly id: string;
  readonly page: string;
  readonly at: string;
  readonly actorName: string;
  readonly recordKey: Readonly<Record<string, string>>;
}

const lastChanged: Statement = {
  purpose: "the last change of each page",
  text: `SELECT DISTINCT ON (page) id::text AS "id", page AS "page", at::text AS "at", actor_name AS "actor_name", record_key::text AS "record_key"
FROM (SELECT * FROM quill_log.change AS c ORDER BY c.id DESC LIMIT 100000) AS c WHERE way = 'page' ORDER BY page, c.id DESC`,
  values: [],
};

const stateOf = async (orm: MikroORM): Promise<"made" | "empty" | "other"> =>
  storeStateOf((await orm.em.fork().execute<Row[]>(whatIsThere.text))[0]);

async function isUpToDate(orm: MikroORM): Promise<boolean> {
  if ((await stateOf(orm)) !== "made") return false;
  const em = orm.em.fork();
  const done = new Set((await em.execute<{ name: string }[]>("SELECT name FROM migration")).map(({ name }) => name));
  return migrationNames.every((name) => done.has(name));
}

/**
 * Runs something while nobody else holds a lock of that name. The connection's own transaction and not the entity manager's: that one keeps its
 * context in an `AsyncLocalStorage`, and from the first on every promise of the process would be followed, those of the served pages too.
 */
function holding<Result>(orm: MikroORM, name: string, run: () => Promise<Result>): Promise<Result> {
  const connection = orm.em.getConnection();
  return connection.transactional(async (transaction) => {
    await connection.execute("SELECT pg_advisory_xact_lock(hashtext(?))", [name], "run", transaction);
    return run();
  });
}

let migrations: Promise<typeof import("./migrations.js")> | undefined;

async function bringUpToDate(orm: MikroORM, mayMake: boolean): Promise<void> {
  migrations ??= import("./migrations.js");
  const { Migrator, migrationsList } = await migrations;
  orm.config.set("migrations", {
    ...orm.config.get("migrations"),
    migrationsList,
    snapshot: false,
    tableName: "migration",
  });
  Migrator.register(orm);
  // Two servers that begin at once on an empty store: the second waits until the first has made its tables.
  await holding(orm, "loyal-quill migrations", async () => {
    const state = await stateOf(orm);
    if (state === "other")
      throw new StoreRefused(
        "The store can't be made in this database, which has tables of something else: it is a database of its own.",
      );
    if (state === "empty" && !mayMake)
      throw new StoreRefused("There is no store in this database: it is made when pages are first served with it.");
    return orm.getMigrator().up();
  }).catch((error: { code?: string; message: string }) => {
    // PostgreSQL documentation, appendix A: insufficient_privilege.
    if (error.code !== "42501") throw error;
    throw new StoreRefused(
      `The store can't be made in this database: ${error.message.split(" - ").at(-1)}. Let its user own it.`,
    );
  });
}

/**
 * Two versions of this program may run over one store, while one takes the other's place: a migration that the older one can't live with says so.
 *
 * @throws where this program is the older one of such two
 */
async function needKnown(orm: MikroORM): Promise<void> {
  const rows = await orm.em.fork().execute<{ migration: string }[]>("SELECT migration FROM needed");
  const unknown = rows.find(({ migration }) => !(migrationNames as readonly string[]).includes(migration));
  if (unknown)
    throw new StoreRefused(
      `The store was brought up to date by a newer version of Loyal Quill, which this one can't work beside (${unknown.migration}): update it.`,
    );
}

/** This is no database that can be the store, or one of a newer program. */
export class StoreRefused extends Error {
  override readonly name = "StoreRefused";
}

/**
 * Loyal Quill's own store, by its parts; and its window on the change log of the edited database, which is asked by the core's statements:
 * there is nothing to map.
 */
export class Store {
  readonly accounts: Accounts;
  readonly trail: TrailLines;
  readonly tokens: Tokens;
  readonly drafts: Drafts;
  readonly versions: Versions;
  /** What is recorded of requests. */
  readonly requests: KeptRequests;
  /** Work in the background. */
  readonly jobs: KeptJobs;
  private readonly logPool: pg.Pool;
  private readonly log: Database;
  private turns: Promise<unknown> = Promise.resolve();

  private constructor(
    private readonly orm: MikroORM,
    logUrl: string,
    /** The edited database that requests, drafts and versions are of: empty for the first one. */
    private readonly database: string,
  ) {
    const inStore: InStore = { em: () => orm.em.fork(), database };
    this.accounts = new Accounts(inStore);
    this.trail = new TrailLines(inStore);
    this.tokens = new Tokens(inStore);
    this.drafts = new Drafts(inStore);
    this.versions = new Versions(inStore);
    this.requests = new KeptRequests(inStore);
    this.jobs = new KeptJobs(inStore);
    this.logPool = connect(logUrl);
    this.log = databaseOver(this.logPool, { statement: connectionLimits.query_timeout });
  }

  /**
   * Opens the store and brings its tables up to date.
   *
   * @param url of the store's database, whose owner the user is
   * @param logUrl of the edited database, with a user who may read `quill_log.change`
   * @param mayMake whether an empty database becomes a store
   * @throws StoreRefused where this database can't be one
   */
  static async open(url: string, logUrl: string, mayMake = true): Promise<Store> {
    const orm = await MikroORM.init({
      ...shared,
      ...reached(url),
      entities: [
        AccountEntity,
        TokenEntity,
        TrailEntity,
        LookEntity,
        RequestEntity,
        DraftEntity,
        VersionEntity,
        VerificationEntity,
      ],
      schemaGenerator: { skipTables: ["session", "attempt"] },
    });
    try {
      if (!(await isUpToDate(orm))) await bringUpToDate(orm, mayMake);
      await needKnown(orm);
      return new Store(orm, logUrl, "");
    } catch (error) {
      await orm.close(true);
      throw error;
    }
  }

  /** The same store for another edited database: accounts are shared, everything else is its own. */
  at(database: string, logUrl: string): Store {
    return new Store(this.orm, logUrl, database);
  }

  /**
   * Runs something alone: no other process that shares the store, and nothing else in this one, runs anything of that name for this
   * database meanwhile.
   */
  alone<Result>(what: string, run: () => Promise<Result>): Promise<Result> {
    const turn = this.turns.then(() => holding(this.orm, `loyal-quill ${what} ${this.database}`, run));
    this.turns = turn.catch(() => {});
    return turn;
  }

  /** The processes that use the store just now, by their last sign. */
  async processes(): Promise<{ host: string; pid: number; version: string }[]> {
    return this.orm.em
      .fork()
      .execute("SELECT host, pid, version FROM process WHERE beat > now() - interval '20 seconds' ORDER BY since");
  }

  async close(): Promise<void> {
    await Promise.all([this.database === "" ? this.orm.close(true) : undefined, this.logPool.end()]);
  }

  /** Runs a statement over the change log. */
  onLog(statement: Statement): Promise<readonly Row[]> {
    return this.log.run(statement);
  }

  /** How the log was found when it was last verified. */
  async lastVerification(): Promise<{ by: string; report: VerifyReport } | null> {
    const [found] = await this.orm.em
      .fork()
      .find(VerificationEntity, { database: this.database }, { orderBy: { number: "desc" }, limit: 1 });
    return found ? { by: found.byName, report: found.report } : null;
  }

  async keepVerification(byName: string, report: VerifyReport): Promise<void> {
    await this.orm.em
      .fork()
      .insert(VerificationEntity, { database: this.database, byName, at: new Date(report.at), report } as never);
  }

  /** The last change of each page, among the last hundred thousand entries. */
  async lastChanges(): Promise<LastChange[]> {
    return (await this.log.run(lastChanged)).map((row) => ({
      id: row.id ?? "",
      page: row.page ?? "",
      at: row.at ?? "",
      actorName: row.actor_name ?? "",
      recordKey: keyIn(row.record_key),
    }));
  }
}
