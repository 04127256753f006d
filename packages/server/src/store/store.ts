import type { Actor, Row, Statement, Table } from "@loyal-quill/core";
import { connectionTo, type VerifyReport } from "@loyal-quill/runtime";
import type { InferEntity } from "@mikro-orm/core";
import { MikroORM } from "@mikro-orm/postgresql";
import { KeptJobs } from "../processes/kept-jobs.js";
import { connectionLimits, endWhenSilent } from "./connection.js";
import {
  type Account,
  AccountEntity,
  actorOf,
  type Draft,
  DraftEntity,
  type NewAccount,
  RequestEntity,
  type Token,
  TokenEntity,
  TrailEntity,
  type TrailEntry,
  VerificationEntity,
  type Version,
  VersionEntity,
} from "./entities.js";
import { KeptRequests } from "./kept-requests.js";
import { migrationNames } from "./migration-names.js";

/** How a database is reached, which may be one of several servers. */
function reached(url: string) {
  const { connectionString, ...rest } = connectionTo(url);
  return {
    clientUrl: connectionString,
    driverOptions: { ...shared.driverOptions, connection: { ...connectionLimits, ...rest } },
  };
}

const shared = {
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

const plainVersion = (found: InferEntity<typeof VersionEntity>): Version => ({
  ...found,
  byName: found.byName ?? null,
  byId: found.byId ?? null,
  text: found.text ?? null,
  model: found.model ?? null,
});

/** A draft as a list tells of it. */
export interface DraftNote {
  readonly page: string;
  readonly revision: number;
  readonly byName: string;
  readonly at: Date;
  /** Null where it is known from elsewhere. */
  readonly text: string | null;
}

/** The last version of a page: its text is null where the file was taken away, its table where it was not known. */
export interface LastVersion {
  readonly page: string;
  readonly number: string;
  readonly text: string | null;
  readonly model: Table | null;
}

const plainAccount = (found: InferEntity<typeof AccountEntity>): Account => ({
  ...found,
  passwordHash: found.passwordHash ?? null,
  totpSecret: found.totpSecret ?? null,
  recovery: found.recovery ?? null,
  issuer: found.issuer ?? null,
  subject: found.subject ?? null,
});

type NewTrailEntry = Omit<TrailEntry, "id" | "at" | "database" | "times" | "last">;

/** What is asked of the trail. */
export interface TrailQuery {
  readonly before?: string | undefined;
  /** An action, or the beginning of several. */
  readonly action?: string | undefined;
  /** An id: who did it, or to whom it was done. */
  readonly person?: string | undefined;
  readonly since?: Date | undefined;
  readonly limit: number;
}

/** The way to a change log: what is asked of it are the core's statements, so there is nothing to map. */
const openLog = (url: string): Promise<MikroORM> =>
  MikroORM.init({
    ...shared,
    ...reached(url),
    discovery: { ...shared.discovery, warnWhenNoEntities: false },
    entities: [],
  });

/** The last change of a page. */
export interface LastChange {
  readonly id: string;
  readonly page: string;
  readonly at: string;
  readonly actorName: string;
  readonly recordKey: Readonly<Record<string, string>>;
}

/** A statement of the core's for MikroORM, whose places are question marks. */
function asRaw({ text, values }: Statement): [string, (string | null)[]] {
  const bindings: (string | null)[] = [];
  const raw = text.replaceAll(/\$(\d+)/g, (_place, number: string) => {
    bindings.push(values[Number(number) - 1] ?? null);
    return "?";
  });
  return [raw, bindings];
}

async function isUpToDate(orm: MikroORM): Promise<boolean> {
  const em = orm.em.fork();
  const [found] = await em.execute<{ there: boolean }[]>("SELECT to_regclass('migration') IS NOT NULL AS there");
  if (!found?.there) return false;
  const done = new Set((await em.execute<{ name: string }[]>("SELECT name FROM migration")).map(({ name }) => name));
  return migrationNames.every((name) => done.has(name));
}

let migrations: Promise<typeof import("./migrations.js")> | undefined;

async function bringUpToDate(orm: MikroORM): Promise<void> {
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
  await orm.em.fork().transactional(async (em) => {
    await em.execute("SELECT pg_advisory_xact_lock(hashtext('loyal-quill migrations'))");
    await orm.getMigrator().up();
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
    throw new StoreTooNew(
      `The store was brought up to date by a newer version of Loyal Quill, which this one can't work beside (${unknown.migration}): update it.`,
    );
}

/** The store is a newer program's. */
export class StoreTooNew extends Error {
  override readonly name = "StoreTooNew";
}

/** Loyal Quill's own store: accounts and recorded requests; and its window on the change log of the edited database. */
export class Store {
  /** What is recorded of requests. */
  readonly requests: KeptRequests;
  /** Work in the background. */
  readonly jobs: KeptJobs;
  private turns: Promise<unknown> = Promise.resolve();

  private constructor(
    private readonly orm: MikroORM,
    private readonly log: MikroORM,
    /** The edited database that requests, drafts and versions are of: empty for the first one. */
    private readonly database: string,
  ) {
    this.requests = new KeptRequests(orm, database);
    this.jobs = new KeptJobs(orm, database);
  }

  /**
   * Opens the store and brings its tables up to date.
   *
   * @param url of the store's database, whose owner the user is
   * @param logUrl of the edited database, with a user who may read `quill_log.change`
   */
  static async open(url: string, logUrl: string): Promise<Store> {
    const orm = await MikroORM.init({
      ...shared,
      ...reached(url),
      entities: [
        AccountEntity,
        TokenEntity,
        TrailEntity,
        RequestEntity,
        DraftEntity,
        VersionEntity,
        VerificationEntity,
      ],
      schemaGenerator: { skipTables: ["session", "attempt"] },
    });
    if (!(await isUpToDate(orm))) await bringUpToDate(orm);
    await needKnown(orm).catch(async (error: unknown) => {
      await orm.close(true);
      throw error;
    });
    const log = await openLog(logUrl);
    return new Store(orm, log, "");
  }

  /** The same store for another edited database: accounts are shared, everything else is its own. */
  async at(database: string, logUrl: string): Promise<Store> {
    const log = await openLog(logUrl);
    return new Store(this.orm, log, database);
  }

  /**
   * Runs something alone: no other process that shares the store, and nothing else in this one, runs anything of that name for this
   * database meanwhile.
   */
  alone<Result>(what: string, run: () => Promise<Result>): Promise<Result> {
    const turn = this.turns.then(() =>
      this.orm.em.fork().transactional(async (em) => {
        await em.execute("SELECT pg_advisory_xact_lock(hashtext(?))", [`loyal-quill ${what} ${this.database}`]);
        return run();
      }),
    );
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
    await Promise.all([this.database === "" ? this.orm.close(true) : undefined, this.log.close(true)]);
  }

  async account(id: string): Promise<Account | null> {
    const found = await this.orm.em.fork().findOne(AccountEntity, { id });
    return found && plainAccount(found);
  }

  /** Those of the accounts that there are, by their ids. */
  async accountsOf(ids: readonly string[]): Promise<ReadonlyMap<string, Account>> {
    const found = await this.orm.em.fork().find(AccountEntity, { id: { $in: [...new Set(ids)] } });
    return new Map(found.map((each) => [each.id, plainAccount(each)]));
  }

  async accountByEmail(email: string): Promise<Account | null> {
    const found = await this.orm.em.fork().findOne(AccountEntity, { email: email.toLowerCase() });
    return found && plainAccount(found);
  }

  /** The account that signs in elsewhere under these. */
  async accountBySubject(issuer: string, subject: string): Promise<Account | null> {
    const found = await this.orm.em.fork().findOne(AccountEntity, { issuer, subject });
    return found && plainAccount(found);
  }

  async accounts(): Promise<Account[]> {
    return (await this.orm.em.fork().findAll(AccountEntity, { orderBy: { name: "asc" } })).map(plainAccount);
  }

  /** Everybody who can sign in, as conditions know them, by name. */
  async people(): Promise<Actor[]> {
    return (await this.accounts()).flatMap((account) => (account.active ? actorOf(account) : []));
  }

  /** Adds an account, or sets the one with that id to what is given. */
  async keepAccount(account: NewAccount): Promise<void> {
    await this.orm.em.fork().upsert(AccountEntity, account);
  }

  /** Sets some of an account, and leaves the rest as it is meanwhile. */
  async changeAccount(id: string, change: Partial<Omit<Account, "id" | "sessionEpoch">>): Promise<void> {
    await this.orm.em.fork().nativeUpdate(AccountEntity, { id }, change);
  }

  /** Ends all sessions of an account, for good. @returns the account as it is then */
  async endSessions(id: string): Promise<Account | null> {
    const em = this.orm.em.fork();
    await em.execute("UPDATE account SET session_epoch = session_epoch + 1 WHERE id = ?", [id]);
    await em.execute("DELETE FROM session WHERE account_id = ?", [id]);
    return this.account(id);
  }

  /** Takes note that a code of a step of time was taken. @returns false where one of it or a later one was already */
  async takeStep(id: string, step: number): Promise<boolean> {
    return (
      (await this.orm.em.fork().nativeUpdate(AccountEntity, { id, totpStep: { $lt: step } }, { totpStep: step })) === 1
    );
  }

  /** Takes a recovery code, of which there is one less then. @returns false where there is no such code */
  async takeRecovery(id: string, digest: string): Promise<boolean> {
    const rows = await this.orm.em
      .fork()
      .execute<unknown[]>(
        "UPDATE account SET recovery = recovery - ?::text WHERE id = ? AND jsonb_exists(recovery, ?) RETURNING id",
        [digest, id, digest],
      );
    return rows.length === 1;
  }

  /**
   * Notes that somebody looks at something: one line of the trail a person, action, subject and quarter of an hour, and beside it how often. The first look
   * draws the line's number, and of two at once the second waits for it.
   */
  async noteLook(entry: NewTrailEntry & { readonly actorId: string }): Promise<void> {
    const { actorId, actorName, action, subjectId, address, detail } = entry;
    const subject = entry.subject.slice(0, 1000);
    await this.orm.em.fork().execute(
      `WITH looked AS (
        INSERT INTO look (line, actor_id, action, subject, database, quarter)
        VALUES (nextval(pg_get_serial_sequence('trail', 'id')), ?, ?, ?, ?, date_bin('15 minutes', now(), 'epoch'))
        ON CONFLICT ON CONSTRAINT look_place DO UPDATE SET count = look.count + 1, last = now()
        RETURNING line, count
      )
      INSERT INTO trail (id, actor_id, actor_name, action, subject, subject_id, database, address, detail)
      SELECT line, ?, ?, ?, ?, ?, ?, ?, ?::jsonb FROM looked WHERE count = 1`,
      [
        ...[actorId, action, subject, this.database],
        ...[
          actorId,
          actorName,
          action,
          subject,
          subjectId,
          this.database,
          address.slice(0, 63),
          JSON.stringify(detail),
        ],
      ],
    );
  }

  /** Adds a line to the trail. */
  async note(entry: NewTrailEntry): Promise<void> {
    await this.orm.em
      .fork()
      .execute(
        "INSERT INTO trail (actor_id, actor_name, action, subject, subject_id, database, address, detail) VALUES (?, ?, ?, ?, ?, ?, ?, ?::jsonb)",
        [
          entry.actorId,
          entry.actorName,
          entry.action,
          entry.subject.slice(0, 1000),
          entry.subjectId,
          this.database,
          entry.address.slice(0, 63),
          JSON.stringify(entry.detail),
        ],
      );
  }

  /** The trail, the newest first. */
  async trail(query: TrailQuery): Promise<TrailEntry[]> {
    const found = await this.orm.em.fork().find(
      TrailEntity,
      {
        ...(query.before ? { id: { $lt: query.before } } : {}),
        ...(query.action ? { action: { $like: `${query.action}%` } } : {}),
        ...(query.person ? { $or: [{ actorId: query.person }, { subjectId: query.person }] } : {}),
        ...(query.since ? { at: { $gte: query.since } } : {}),
      },
      { orderBy: { id: "desc" }, limit: query.limit },
    );
    const ids = JSON.stringify(found.map(({ id }) => id));
    const looks = await this.orm.em
      .fork()
      .execute<{ line: string; count: number; last: string | Date }[]>(
        "SELECT line::text, count, last FROM look WHERE line IN (SELECT jsonb_array_elements_text(?::jsonb)::bigint)",
        [ids],
      );
    const byLine = new Map(looks.map((look) => [look.line, look]));
    return found.map((each) => {
      const look = byLine.get(each.id);
      const seen = look ? { times: look.count, last: new Date(look.last) } : { times: 1, last: null };
      return { ...each, actorId: each.actorId ?? null, subjectId: each.subjectId ?? null, ...seen };
    });
  }

  /** Removes tries to sign in that no longer count. */
  async forgetAttempts(): Promise<void> {
    await this.orm.em.fork().execute("DELETE FROM attempt WHERE expire < ?", [Date.now()]);
  }

  /** The tokens of this database for an account, the newest first. */
  tokens(accountId: string): Promise<Token[]> {
    const where = { accountId, database: this.database };
    return this.orm.em.fork().find(TokenEntity, where, { orderBy: { madeAt: "desc" } }) as Promise<Token[]>;
  }

  tokenByDigest(digest: string): Promise<Token | null> {
    return this.orm.em.fork().findOne(TokenEntity, { digest, database: this.database }) as Promise<Token | null>;
  }

  async keepToken(token: Omit<Token, "database">): Promise<void> {
    await this.orm.em.fork().insert(TokenEntity, { ...token, database: this.database });
  }

  async noteTokenUse(id: string, usedAt: Date): Promise<void> {
    await this.orm.em.fork().nativeUpdate(TokenEntity, { id }, { usedAt });
  }

  /** Ends a token at once. @returns whether there was one */
  async removeToken(id: string, accountId: string): Promise<boolean> {
    const where = { id, accountId, database: this.database };
    return (await this.orm.em.fork().nativeDelete(TokenEntity, where)) > 0;
  }

  async draft(page: string): Promise<Draft | null> {
    const found = await this.orm.em.fork().findOne(DraftEntity, { database: this.database, page });
    return found && { ...found, base: found.base ?? null, byId: found.byId ?? null };
  }

  async drafts(): Promise<Draft[]> {
    const found = await this.orm.em.fork().find(DraftEntity, { database: this.database }, { orderBy: { page: "asc" } });
    return found.map((each) => ({ ...each, base: each.base ?? null, byId: each.byId ?? null }));
  }

  /**
   * The drafts as a list tells of them.
   *
   * @param known pages of which the text is known from elsewhere: it is left out
   */
  async draftNotes(known: readonly string[]): Promise<DraftNote[]> {
    const rows = await this.orm.em
      .fork()
      .getConnection()
      .execute<(Omit<DraftNote, "at"> & { at: string | Date })[]>(
        `SELECT page, revision, by_name AS "byName", at, CASE WHEN page IN (SELECT jsonb_array_elements_text(?::jsonb)) THEN NULL ELSE text END AS text
         FROM draft WHERE database = ? ORDER BY page`,
        [JSON.stringify(known), this.database],
      );
    return rows.map((row) => ({ ...row, at: new Date(row.at) }));
  }

  /** Begins a draft. @returns false where there is one already */
  async beginDraft(draft: Draft): Promise<boolean> {
    const rows = await this.orm.em
      .fork()
      .upsertMany(DraftEntity, [{ ...draft, database: this.database }], { onConflictAction: "ignore" });
    return rows.length > 0 && (await this.draft(draft.page))?.text === draft.text;
  }

  /** Sets a draft to another text. @returns false where somebody else changed it since `from` */
  async changeDraft(from: number, draft: Draft): Promise<boolean> {
    const { page, ...rest } = draft;
    return (
      (await this.orm.em.fork().nativeUpdate(DraftEntity, { database: this.database, page, revision: from }, rest)) ===
      1
    );
  }

  /** Takes a draft away. @returns false where somebody changed it since `revision` */
  async dropDraft(page: string, revision: number): Promise<boolean> {
    return (await this.orm.em.fork().nativeDelete(DraftEntity, { database: this.database, page, revision })) === 1;
  }

  /** Everything that a page's file ever was, newest first. */
  async versions(page: string): Promise<Version[]> {
    const found = await this.orm.em
      .fork()
      .find(VersionEntity, { database: this.database, page }, { orderBy: { number: "desc" } });
    return found.map(plainVersion);
  }

  /** Each page's last version. */
  async lastVersions(): Promise<LastVersion[]> {
    return this.orm.em
      .fork()
      .getConnection()
      .execute<LastVersion[]>(
        "SELECT DISTINCT ON (page) page, number::text, text, model FROM version WHERE database = ? ORDER BY page, version.number DESC",
        [this.database],
      );
  }

  /** What stands for each page's last version as it is now: as long as it is the same, {@link lastVersions} are. */
  async lastVersionsMark(): Promise<string> {
    const [row] = await this.orm.em
      .fork()
      .getConnection()
      .execute<{ mark: string | null }[]>(
        `SELECT md5(string_agg(concat_ws(' ', page, number, mark), ',' ORDER BY page)) AS mark FROM (
           SELECT DISTINCT ON (page) page, number, version.xmin::text AS mark FROM version WHERE database = ? ORDER BY page, version.number DESC) AS last`,
        [this.database],
      );
    return row?.mark ?? "";
  }

  /** Takes note of a version's table as it is now. */
  async noteModel(number: string, model: Table | null): Promise<void> {
    await this.orm.em.fork().nativeUpdate(VersionEntity, { number }, { model });
  }

  async addVersion(version: Omit<Version, "number">): Promise<string> {
    const em = this.orm.em.fork();
    return em.insert(VersionEntity, { ...version, database: this.database } as Version & { database: string });
  }

  async addVersions(versions: readonly Omit<Version, "number">[]): Promise<void> {
    if (versions.length === 0) return;
    const rows = versions.map((each) => ({ ...each, database: this.database })) as (Version & { database: string })[];
    await this.orm.em.fork().insertMany(VersionEntity, rows);
  }

  /** The texts of pages' versions, the newest first, by page. */
  async versionTexts(pages: readonly string[]): Promise<ReadonlyMap<string, readonly (string | null)[]>> {
    const rows = await this.orm.em
      .fork()
      .getConnection()
      .execute<{ page: string; text: string | null }[]>(
        `SELECT page, text FROM version WHERE database = ? AND page IN (SELECT jsonb_array_elements_text(?::jsonb)) ORDER BY version.number DESC`,
        [this.database, JSON.stringify(pages)],
      );
    const texts = new Map<string, (string | null)[]>();
    for (const { page, text } of rows) texts.set(page, [...(texts.get(page) ?? []), text]);
    return texts;
  }

  /** The texts that pages had, the newest first, by page; what was deleted had none. */
  async pageTexts(pages: readonly string[]): Promise<ReadonlyMap<string, readonly string[]>> {
    const texts = await this.versionTexts(pages);
    return new Map([...texts].map(([page, all]) => [page, all.filter((text) => text !== null)]));
  }

  async dropVersion(number: string): Promise<void> {
    await this.orm.em.fork().nativeDelete(VersionEntity, { number });
  }

  /** Runs a statement over the change log. */
  async onLog(statement: Statement): Promise<readonly Row[]> {
    return this.log.em
      .fork()
      .getConnection()
      .execute<Row[]>(...asRaw(statement));
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
    const rows = await this.log.em
      .fork()
      .getConnection()
      .execute<{ id: string; page: string; at: string; actor_name: string; record_key: Record<string, string> }[]>(
        `SELECT DISTINCT ON (page) id::text, page, at::text, actor_name, record_key
         FROM (SELECT * FROM quill_log.change AS c ORDER BY c.id DESC LIMIT 100000) AS c WHERE way = 'page' ORDER BY page, c.id DESC`,
      );
    return rows.map((row) => ({
      id: row.id,
      page: row.page,
      at: row.at,
      actorName: row.actor_name,
      recordKey: row.record_key,
    }));
  }
}
