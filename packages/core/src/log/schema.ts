import { namesIn } from "../postgres/answered.js";
import { quoted, type Statement } from "../postgres/statement.js";
import { actFunctions, installedEntry, placesSchema } from "./acts.js";
import { chainEntries, entryFunctions } from "./functions.js";
import { keepingFunctions, keepingSchema } from "./keeping.js";
import { outboxSchema } from "./outbox.js";
import { sealFunctions, sealSchema } from "./seals.js";
import { watchSchema } from "./watch.js";

/** The functions that whoever serves pages may call. */
const callable = ["add_change", "make_seals", "sign_seal", "note_sent"] as const;

/** What whoever reads and verifies a log may read. */
const readable = ["change", "head", "seal", "watched", "baseline", "sent"].map((name) => `quill_log.${name}`);

/** The version of the log's schema that this code makes. It stands in the schema's comment; a log without one is of version 1. */
export const logVersion = 6;

/**
 * The oldest log that this code writes to, and the oldest program that may write to the log that it makes: a log is upgraded before the programs
 * are, or after, and both run side by side meanwhile.
 */
export const leastLogVersion = 4;

const noteVersion = (version: number): string =>
  `COMMENT ON SCHEMA quill_log IS 'Change log of Loyal Quill, version ${version}${version < logVersion ? "" : `, for programs since version ${leastLogVersion}`}';`;

/** What an entry has since it is chained. */
const chainColumns = [
  "transaction xid8",
  "origin jsonb",
  "undoes bigint[]",
  "salt bytea",
  "previous_id bigint",
  "previous bytea",
  "hash bytea",
  "kept jsonb",
];
const always = ["transaction", "salt", "hash"];

/** The last entry of each record: what the next one is chained to. */
const headSchema = `CREATE TABLE IF NOT EXISTS quill_log.head (
  table_name text COLLATE "C" NOT NULL,
  record_key jsonb NOT NULL,
  id bigint NOT NULL,
  previous_id bigint,
  previous bytea,
  hash bytea NOT NULL,
  PRIMARY KEY (table_name, record_key)
) WITH (fillfactor = 70);
COMMENT ON TABLE quill_log.head IS 'The last entry of each record.';`;

/** All functions of the log but those of watched tables. */
export const allFunctions = `${entryFunctions}
${sealFunctions}
${actFunctions}
${keepingFunctions}
${placesSchema}`;

/** What was made later than the first tables, in any log. */
const beyondEntries = `${headSchema}
${sealSchema}
${watchSchema}
${keepingSchema}
${allFunctions}
REVOKE ALL ON ALL FUNCTIONS IN SCHEMA quill_log FROM PUBLIC;`;

/** Who could add to a log and read it before, can do so in the way of version 4. */
const grantsOfVersion4 = `DO $$
DECLARE
  role record;
BEGIN
  FOR role IN
    SELECT a.grantee::regrole::text AS name, bool_or(a.privilege_type = 'INSERT') AS adds
    FROM pg_class AS c, aclexplode(c.relacl) AS a
    WHERE c.oid = 'quill_log.change'::regclass AND a.grantee <> 0 AND a.grantee <> c.relowner
    GROUP BY 1
  LOOP
    EXECUTE format('GRANT SELECT ON ${readable.slice(1).join(", ")} TO %s', role.name);
    IF role.adds THEN
      EXECUTE format('REVOKE INSERT ON quill_log.change FROM %s', role.name);
      EXECUTE format('GRANT EXECUTE ON FUNCTION ${callable.map((each) => `quill_log.${each}`).join(", ")} TO %s', role.name);
    END IF;
  END LOOP;
END $$;`;

/**
 * The change log's schema: `quill_log` in the edited database itself, since only there a change and its entry are one.
 * Partitioned by month; an entry that no month's partition takes goes to the default one, so that no save fails for it.
 */
export const logSchema = `CREATE SCHEMA IF NOT EXISTS quill_log;
CREATE TABLE IF NOT EXISTS quill_log.change (
  id bigint GENERATED ALWAYS AS IDENTITY,
  at timestamptz NOT NULL DEFAULT clock_timestamp(),
  actor_id text NOT NULL,
  actor_name text NOT NULL,
  page text NOT NULL,
  page_version text NOT NULL,
  table_name text NOT NULL,
  record_key jsonb NOT NULL,
  new_key jsonb,
  operation text NOT NULL,
  fields jsonb NOT NULL,
  request_id uuid,
  reason text,
  way text NOT NULL,
  ${chainColumns.map((each) => (always.some((name) => each.startsWith(`${name} `)) ? `${each} NOT NULL` : each)).join(",\n  ")},
  PRIMARY KEY (id, at)
) PARTITION BY RANGE (at);
CREATE TABLE IF NOT EXISTS quill_log.change_default PARTITION OF quill_log.change DEFAULT;
CREATE INDEX IF NOT EXISTS change_record ON quill_log.change (table_name, record_key, id DESC);
CREATE INDEX IF NOT EXISTS change_new_key ON quill_log.change (table_name, new_key) WHERE new_key IS NOT NULL;
CREATE INDEX IF NOT EXISTS change_request ON quill_log.change (request_id);
CREATE INDEX IF NOT EXISTS change_at ON quill_log.change USING brin (at) WITH (pages_per_range = 32);
CREATE TABLE IF NOT EXISTS quill_log.submission (
  id uuid CONSTRAINT submission_pkey PRIMARY KEY,
  request_id uuid NOT NULL,
  at timestamptz NOT NULL DEFAULT clock_timestamp()
);
COMMENT ON TABLE quill_log.submission IS 'Forms of new records that were taken: each of them once.';
COMMENT ON TABLE quill_log.change IS 'Who changed which field of which record, when, from what to what.';
${outboxSchema}
${beyondEntries}
${installedEntry(logVersion)}
${noteVersion(logVersion)}`;

/** What brings a log from the version before to `to`, in order. A landed one is never changed. */
const upgrades: readonly { readonly to: number; readonly sql: string }[] = [
  // Version 1 had everything but the note of its version, and in its first days no index for changed keys.
  {
    to: 2,
    sql: `CREATE INDEX IF NOT EXISTS change_new_key ON quill_log.change (table_name, new_key) WHERE new_key IS NOT NULL;
CREATE INDEX IF NOT EXISTS change_request ON quill_log.change (request_id);`,
  },
  { to: 3, sql: outboxSchema },
  {
    to: 4,
    sql: `ALTER TABLE quill_log.change ${chainColumns.map((each) => `ADD COLUMN ${each}`).join(", ")}, ALTER COLUMN request_id DROP NOT NULL,
  DROP CONSTRAINT change_way_check, ADD CONSTRAINT change_way_check CHECK (way IN ('page', 'behind', 'import'));
DROP INDEX IF EXISTS quill_log.change_actor;
CREATE INDEX IF NOT EXISTS change_at ON quill_log.change USING brin (at) WITH (pages_per_range = 32);
${beyondEntries}
${chainEntries}
ALTER TABLE quill_log.change ${always.map((name) => `ALTER COLUMN ${name} SET NOT NULL`).join(", ")};
${grantsOfVersion4}`,
  },
  // Only the log's functions write to it: they check what the table checked, which took thirty microseconds an entry.
  {
    to: 5,
    sql: `ALTER TABLE quill_log.change ${["operation", "fields", "way"].map((name) => `DROP CONSTRAINT IF EXISTS change_${name}_check`).join(", ")};
${entryFunctions}`,
  },
  // What is done to the log is an entry; what verifying rests on is sealed; places to which seals are sent.
  {
    to: 6,
    sql: `${allFunctions}
REVOKE ALL ON ALL FUNCTIONS IN SCHEMA quill_log FROM PUBLIC;
LOCK TABLE quill_log.seal IN EXCLUSIVE MODE;
${installedEntry(6)}
DO $$
DECLARE
  role record;
  watched text;
BEGIN
  FOR role IN
    SELECT a.grantee::regrole::text AS name, has_function_privilege(a.grantee, to_regproc('quill_log.make_seals'), 'EXECUTE') AS adds
    FROM pg_class AS c, aclexplode(c.relacl) AS a
    WHERE c.oid = 'quill_log.seal'::regclass AND a.grantee <> 0 AND a.grantee <> c.relowner
    GROUP BY 1, 2
  LOOP
    EXECUTE format('GRANT SELECT ON quill_log.sent TO %s', role.name);
    IF role.adds THEN
      EXECUTE format('GRANT EXECUTE ON FUNCTION quill_log.note_sent TO %s', role.name);
    END IF;
  END LOOP;
  FOR watched IN SELECT w.table_name FROM quill_log.watched AS w ORDER BY 1 LOOP
    PERFORM quill_log.seal_watched(watched, session_user::text);
  END LOOP;
END $$;`,
  },
];

/** The statements that bring a log of some version up to date; none where it is. */
export const upgradesFrom = (version: number): readonly string[] =>
  upgrades.filter(({ to }) => to > version).flatMap(({ to, sql }) => [sql, noteVersion(to)]);

/** A log as it is found in a database. */
export interface LogState {
  readonly there: boolean;
  /** Whether the connection may add to it and read it. */
  readonly usable: boolean;
  /** Whether the connection may change or remove its entries. */
  readonly alterable: boolean;
  /** Whether the connection is a superuser's, whom no right holds back. */
  readonly superuser: boolean;
  /** Whether the connection owns it, so that it may change its tables. */
  readonly owned: boolean;
  /** 0 where there is none. */
  readonly version: number;
  /** The oldest program, by the version of the log that it makes, that may write to this one. */
  readonly since: number;
  /** The names of its partitions. */
  readonly partitions: readonly string[];
}

/** Reads a log's state, with a database that answers {@link logStateStatement}. */
export async function readLogState(database: {
  run(statement: Statement): Promise<readonly Readonly<Record<string, string | null>>[]>;
}): Promise<LogState> {
  const [row] = await database.run(logStateStatement());
  const there = row?.there === "true";
  const version = there ? Number(/version (\d+)/.exec(row?.comment ?? "")?.[1] ?? 1) : 0;
  return {
    there,
    usable: row?.usable === "true",
    alterable: row?.alterable === "true",
    superuser: row?.superuser === "true",
    owned: row?.owned === "true",
    version,
    since: Number(/since version (\d+)/.exec(row?.comment ?? "")?.[1] ?? version),
    partitions: namesIn(row?.partitions),
  };
}

/** What a role needs to read a log, and to verify it. */
export const logReadGrants = (role: string): readonly string[] => [
  `GRANT USAGE ON SCHEMA quill_log TO ${quoted(role)}`,
  `GRANT SELECT ON ${readable.join(", ")} TO ${quoted(role)}`,
];

/** What a role needs to serve pages over a log: to read it, and to add to it by its functions; never to write an entry itself. */
export const logGrants = (role: string): readonly string[] => [
  ...logReadGrants(role),
  `GRANT EXECUTE ON FUNCTION ${callable.map((each) => `quill_log.${each}`).join(", ")} TO ${quoted(role)}`,
  `GRANT SELECT, INSERT ON quill_log.submission TO ${quoted(role)}`,
  `GRANT SELECT, INSERT, UPDATE, DELETE ON quill_log.outbox TO ${quoted(role)}`,
];

/**
 * Asks whether there is a log, whether the connection may use it, of which version it is and which partitions it has: one row.
 *
 * The catalogs are asked rather than the tables, so that a missing right is an answer and not an error.
 */
const logStateStatement = (): Statement => ({
  purpose: "is there a log",
  text: `SELECT (count(*) = 2)::text AS "there",
  coalesce(bool_and(has_schema_privilege(n.oid, 'USAGE') AND has_table_privilege(c.oid, 'SELECT')
    AND CASE WHEN c.relname = 'change' THEN coalesce(has_function_privilege(to_regproc('quill_log.add_change'), 'EXECUTE'), has_table_privilege(c.oid, 'INSERT'))
      ELSE has_table_privilege(c.oid, 'INSERT') END), false)::text AS "usable",
  coalesce(bool_or(has_table_privilege(c.oid, 'UPDATE') OR has_table_privilege(c.oid, 'DELETE') OR has_table_privilege(c.oid, 'TRUNCATE')
    OR (c.relname = 'change' AND has_table_privilege(c.oid, 'INSERT'))), false)::text AS "alterable",
  (SELECT r.rolsuper FROM pg_roles AS r WHERE r.rolname = current_user)::text AS "superuser",
  coalesce(bool_and(pg_has_role(c.relowner, 'USAGE')), false)::text AS "owned",
  (SELECT obj_description(s.oid, 'pg_namespace') FROM pg_namespace AS s WHERE s.nspname = 'quill_log') AS "comment",
  (SELECT json_agg(p.relname) FROM pg_inherits AS i JOIN pg_class AS p ON p.oid = i.inhrelid WHERE i.inhparent = to_regclass('quill_log.change'))::text AS "partitions"
FROM pg_class AS c
JOIN pg_namespace AS n ON n.oid = c.relnamespace
WHERE n.nspname = 'quill_log' AND c.relname IN ('change', 'submission')`,
  values: [],
});
