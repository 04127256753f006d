import { Migration, Migrator } from "@mikro-orm/migrations";
import { type MigrationName, migrationNames } from "./migration-names.js";

class FirstTables extends Migration {
  override up(): void {
    this.addSql(`CREATE TABLE account (
      id uuid PRIMARY KEY,
      email varchar(255) NOT NULL CONSTRAINT account_email_unique UNIQUE,
      name varchar(255) NOT NULL,
      password_hash varchar(255) NOT NULL,
      roles jsonb NOT NULL,
      attributes jsonb NOT NULL,
      active boolean NOT NULL
    )`);
    this.addSql(`CREATE TABLE request (
      number bigserial PRIMARY KEY,
      id uuid NOT NULL CONSTRAINT request_id_unique UNIQUE,
      at timestamptz(3) NOT NULL,
      page varchar(255),
      operation varchar(255) NOT NULL,
      outcome varchar(255) NOT NULL,
      actor_id varchar(255),
      recorded jsonb NOT NULL
    )`);
    this.addSql("CREATE INDEX request_page_index ON request (page)");
    this.addSql(`CREATE TABLE session (
      sid varchar PRIMARY KEY,
      sess json NOT NULL,
      expire timestamp(6) NOT NULL
    )`);
    this.addSql("CREATE INDEX session_expire ON session (expire)");
  }
}

class DraftsAndVersions extends Migration {
  override up(): void {
    this.addSql(`CREATE TABLE draft (
      page varchar(255) PRIMARY KEY,
      text text NOT NULL,
      base text,
      revision integer NOT NULL,
      at timestamptz(3) NOT NULL,
      by_name varchar(255) NOT NULL
    )`);
    this.addSql(`CREATE TABLE version (
      number bigserial PRIMARY KEY,
      page varchar(255) NOT NULL,
      at timestamptz(3) NOT NULL,
      by_name varchar(255),
      text text
    )`);
    this.addSql("CREATE INDEX version_page_index ON version (page)");
  }
}

class TablesOfVersions extends Migration {
  override up(): void {
    this.addSql("ALTER TABLE version ADD COLUMN model jsonb");
  }
}

class SeveralDatabases extends Migration {
  override up(): void {
    this.addSql("ALTER TABLE request ADD COLUMN database varchar(63) NOT NULL DEFAULT ''");
    this.addSql("ALTER TABLE version ADD COLUMN database varchar(63) NOT NULL DEFAULT ''");
    this.addSql("ALTER TABLE draft ADD COLUMN database varchar(63) NOT NULL DEFAULT ''");
    this.addSql("ALTER TABLE draft DROP CONSTRAINT draft_pkey, ADD PRIMARY KEY (database, page)");
    for (const table of ["request", "version", "draft"])
      this.addSql(`ALTER TABLE ${table} ALTER COLUMN database DROP DEFAULT`);
  }
}

class FormatsOfWhatIsStored extends Migration {
  override up(): void {
    for (const table of ["request", "version", "draft"])
      this.addSql(`ALTER TABLE ${table} ADD COLUMN format integer NOT NULL DEFAULT 1`);
  }
}

class Tokens extends Migration {
  override up(): void {
    this.addSql(`CREATE TABLE token (
      id uuid PRIMARY KEY,
      name varchar(255) NOT NULL,
      digest varchar(255) NOT NULL CONSTRAINT token_digest_unique UNIQUE,
      account_id uuid NOT NULL REFERENCES account ON DELETE CASCADE,
      database varchar(63) NOT NULL,
      pages jsonb,
      made_at timestamptz(3) NOT NULL,
      made_by varchar(255) NOT NULL,
      ends_at timestamptz(3) NOT NULL,
      used_at timestamptz(3)
    )`);
    this.addSql("CREATE INDEX token_account_id_index ON token (account_id)");
  }
}

class SignInAndTrail extends Migration {
  override up(): void {
    this.addSql(`ALTER TABLE account
      ALTER COLUMN password_hash DROP NOT NULL,
      ADD COLUMN session_epoch integer NOT NULL DEFAULT 0,
      ADD COLUMN must_change_password boolean NOT NULL DEFAULT false,
      ADD COLUMN totp_secret varchar(255),
      ADD COLUMN totp_step integer NOT NULL DEFAULT 0,
      ADD COLUMN recovery jsonb,
      ADD COLUMN issuer varchar(1000),
      ADD COLUMN subject varchar(1000),
      ADD CONSTRAINT account_issuer_subject_unique UNIQUE (issuer, subject)`);
    // Builders could do all of it so far: nobody is locked out of what nobody else may do.
    this.addSql(
      `UPDATE account SET roles = roles || '["administrator", "auditor"]'::jsonb WHERE jsonb_exists(roles, 'builder') AND NOT jsonb_exists(roles, 'administrator')`,
    );
    // Sessions of before say neither when they began nor which count they are of.
    this.addSql("DELETE FROM session");
    this.addSql(
      "ALTER TABLE session ADD COLUMN account_id uuid GENERATED ALWAYS AS ((sess->>'accountId')::uuid) STORED",
    );
    this.addSql("CREATE INDEX session_account_id ON session (account_id)");
    this.addSql(
      "CREATE TABLE attempt (key varchar(255) PRIMARY KEY, points integer NOT NULL DEFAULT 0, expire bigint)",
    );
    this.addSql(`CREATE TABLE trail (
      id bigserial PRIMARY KEY,
      at timestamptz(3) NOT NULL DEFAULT clock_timestamp(),
      actor_id varchar(255),
      actor_name varchar(255) NOT NULL,
      action varchar(63) NOT NULL,
      subject varchar(1000) NOT NULL,
      subject_id varchar(255),
      database varchar(63) NOT NULL,
      address varchar(63) NOT NULL,
      detail jsonb NOT NULL
    )`);
    this.addSql("CREATE INDEX trail_actor_id ON trail (actor_id, id)");
    this.addSql("CREATE INDEX trail_subject_id ON trail (subject_id, id)");
    this.addSql(`CREATE FUNCTION trail_stays() RETURNS trigger LANGUAGE plpgsql AS $$
      BEGIN RAISE EXCEPTION 'the trail is only added to' USING ERRCODE = 'insufficient_privilege'; END $$`);
    this.addSql(
      "CREATE TRIGGER trail_stays BEFORE UPDATE OR DELETE OR TRUNCATE ON trail FOR EACH STATEMENT EXECUTE FUNCTION trail_stays()",
    );
    for (const table of ["draft", "version"]) this.addSql(`ALTER TABLE ${table} ADD COLUMN by_id varchar(255)`);
  }
}

class RequestsTold extends Migration {
  override up(): void {
    this.addSql(`ALTER TABLE request
      ADD COLUMN actor_name varchar(255),
      ADD COLUMN method varchar(31) NOT NULL DEFAULT '',
      ADD COLUMN path text NOT NULL DEFAULT '',
      ADD COLUMN status integer NOT NULL DEFAULT 0,
      ADD COLUMN ms real NOT NULL DEFAULT 0,
      ADD COLUMN record text,
      ADD COLUMN stopped_at varchar(31),
      ADD COLUMN reason text,
      ADD COLUMN problems jsonb NOT NULL DEFAULT '[]',
      ADD COLUMN statements integer NOT NULL DEFAULT 0,
      ADD COLUMN trace char(32),
      ADD COLUMN glance jsonb NOT NULL DEFAULT '[]',
      ADD COLUMN wire text`);
    this.addSql(`UPDATE request SET actor_name = left(recorded->'actor'->>'name', 255), method = left(recorded->>'method', 31),
      path = left(recorded->>'path', 1000), status = (recorded->>'status')::integer, ms = (recorded->>'ms')::real,
      record = (SELECT left(string_agg(part, '/' ORDER BY place), 300) FROM jsonb_array_elements_text(CASE WHEN jsonb_typeof(recorded->'key') = 'array' THEN recorded->'key' ELSE '[]' END) WITH ORDINALITY AS k(part, place)),
      stopped_at = jsonb_path_query_first(recorded, '$.steps[*] ? (@.stopped != null)')->>'step',
      reason = left(jsonb_path_query_first(recorded, '$.steps[*] ? (@.stopped != null)')->>'stopped', 1000),
      glance = coalesce((SELECT jsonb_agg(jsonb_build_object('step', s->'step', 'ms', s->'ms', 'stopped', s->'stopped')) FROM jsonb_array_elements(recorded->'steps') AS s), '[]')
      WHERE format = 1 AND jsonb_typeof(recorded->'steps') = 'array'`);
    // Faster by far than what is compressed otherwise, where PostgreSQL was built with it.
    this.addSql(`DO $$ BEGIN
      ALTER TABLE request ALTER COLUMN wire SET COMPRESSION lz4, ALTER COLUMN recorded SET COMPRESSION lz4;
    EXCEPTION WHEN feature_not_supported THEN NULL; END $$`);
    // What is told of each request in a list stands in the table itself; all the rest beside it.
    this.addSql("ALTER TABLE request SET (toast_tuple_target = 256)");
    this.addSql("DROP INDEX IF EXISTS request_page_index");
    this.addSql("CREATE INDEX request_newest ON request (database, number DESC)");
    this.addSql("CREATE INDEX request_page ON request (database, page, number DESC)");
    this.addSql("CREATE INDEX request_actor ON request (database, actor_id, number DESC)");
    this.addSql("CREATE INDEX request_trace ON request (trace) WHERE trace IS NOT NULL");
    this.addSql("CREATE INDEX request_at ON request (database, at)");
  }
}

class VerificationsOfLogs extends Migration {
  override up(): void {
    this.addSql(`CREATE TABLE verification (number bigserial PRIMARY KEY, database varchar(255) NOT NULL, at timestamptz(3) NOT NULL,
      by_name varchar(255) NOT NULL, report jsonb NOT NULL)`);
    this.addSql("CREATE INDEX verification_database_index ON verification (database)");
  }
}

class SeveralProcesses extends Migration {
  override up(): void {
    // What processes tell each other, and which there are: of use for a moment only, so a crash may lose it.
    this.addSql(`CREATE UNLOGGED TABLE happening (id bigserial PRIMARY KEY, at timestamptz NOT NULL DEFAULT now(), process uuid NOT NULL,
      database varchar(255) NOT NULL, told jsonb NOT NULL)`);
    this.addSql(`CREATE UNLOGGED TABLE process (id uuid PRIMARY KEY, host varchar(255) NOT NULL, pid integer NOT NULL, version varchar(63) NOT NULL,
      since timestamptz NOT NULL DEFAULT now(), beat timestamptz NOT NULL DEFAULT now())`);
    this.addSql(`CREATE TABLE job (database varchar(255) NOT NULL, kind varchar(31) NOT NULL, name varchar(255) NOT NULL, run uuid NOT NULL DEFAULT gen_random_uuid(),
      process uuid NOT NULL, begun timestamptz(3) NOT NULL DEFAULT now(), beat timestamptz NOT NULL DEFAULT now(), state varchar(15) NOT NULL DEFAULT 'running',
      done real NOT NULL DEFAULT 0, given text NOT NULL, came text, because text, cancel boolean NOT NULL DEFAULT false, tries integer NOT NULL DEFAULT 1,
      PRIMARY KEY (database, kind, name))`);
    // Which program works with these tables: one that knows this migration. It is renewed by a migration that older ones can't live with.
    this.addSql("CREATE TABLE needed (migration varchar(255) NOT NULL)");
    this.addSql("INSERT INTO needed VALUES ('2026-11-verifications')");
  }
}

class Looks extends Migration {
  override up(): void {
    // How often somebody looked at one place within a quarter of an hour: the trail has one line of it, which stays as it is.
    this.addSql(`CREATE TABLE look (line bigint PRIMARY KEY, actor_id varchar(255) NOT NULL, action varchar(255) NOT NULL, subject varchar(1000) NOT NULL,
      database varchar(255) NOT NULL, quarter timestamptz NOT NULL, count integer NOT NULL DEFAULT 1, last timestamptz(3) NOT NULL DEFAULT now(),
      CONSTRAINT look_place UNIQUE (actor_id, action, subject, database, quarter))`);
    // Whoever made pages so far could do so over any table: they still may, until an administrator takes it from them.
    this.addSql(
      `UPDATE account SET roles = roles || '["steward"]' WHERE jsonb_exists(roles, 'builder') AND NOT jsonb_exists(roles, 'steward')`,
    );
  }
}

class RequestsAsText extends Migration {
  override up(): void {
    // A column of its own: nothing that was kept is written anew, and a process of an older program beside this one reads on what it can read.
    this.addSql("ALTER TABLE request ADD COLUMN kept text, ALTER COLUMN recorded DROP NOT NULL");
    this.addSql(`DO $$ BEGIN
      ALTER TABLE request ALTER COLUMN kept SET COMPRESSION lz4;
    EXCEPTION WHEN feature_not_supported THEN NULL; END $$`);
  }
}

const classes: Readonly<Record<MigrationName, typeof FirstTables>> = {
  "2026-11-first-tables": FirstTables,
  "2026-11-drafts-and-versions": DraftsAndVersions,
  "2026-11-tables-of-versions": TablesOfVersions,
  "2026-11-several-databases": SeveralDatabases,
  "2026-11-formats-of-what-is-stored": FormatsOfWhatIsStored,
  "2026-11-tokens": Tokens,
  "2026-11-sign-in-and-trail": SignInAndTrail,
  "2026-11-requests-told": RequestsTold,
  "2026-11-verifications": VerificationsOfLogs,
  "2026-11-several-processes": SeveralProcesses,
  "2026-11-looks": Looks,
  "2026-11-requests-as-text": RequestsAsText,
};

/** The store's migrations in their order. A landed one is never changed. */
export const migrationsList = migrationNames.map((name) => ({ name, class: classes[name] }));

export { Migrator };
