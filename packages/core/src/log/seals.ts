import type { Statement } from "../postgres/statement.js";
import { fixedPath } from "./functions.js";

/** So many entries are sealed at once, in a few seconds; whoever seals goes on until fewer are. */
export const mostSealed = 50_000;

/**
 * Seals, and the functions that make them. `entries` is the root of a Merkle tree over entries of one month (RFC 6962,
 * 2.1, with SHA-256; a leaf's data is an entry's hash), `dropped` says that a month's entries are gone, `erased` says of which entries values
 * were erased, `watched` and `unwatched` say of which table. Each is hashed together with the seal before it.
 *
 * `upto`, `open` and `until` are how it is known what the next seal is over, and are not part of its content: all entries after `upto`, and
 * those in `open` that were not there yet, since whoever wrote them had not committed. Once every transaction before `until` has ended, what is
 * left of `open` never comes.
 */
export const sealSchema = `CREATE TABLE IF NOT EXISTS quill_log.seal (
  number bigint PRIMARY KEY,
  at timestamptz NOT NULL,
  kind text NOT NULL CHECK (kind IN ('entries', 'dropped', 'erased', 'watched', 'unwatched')),
  month text,
  ids int8multirange NOT NULL,
  root bytea NOT NULL,
  detail jsonb NOT NULL,
  previous bytea,
  hash bytea NOT NULL,
  upto bigint NOT NULL,
  open int8multirange NOT NULL,
  until xid8 NOT NULL,
  signature bytea,
  signed_by text
);
COMMENT ON TABLE quill_log.seal IS 'Seals over the entries of the log, each chained to the one before.';`;

export const sealFunctions = `CREATE OR REPLACE FUNCTION quill_log.merkle(hashes bytea[]) RETURNS bytea LANGUAGE plpgsql IMMUTABLE AS $$
DECLARE
  level bytea[];
BEGIN
  SELECT array_agg(sha256('\\x00'::bytea || u.h) ORDER BY u.place) INTO level FROM unnest(hashes) WITH ORDINALITY AS u(h, place);
  -- A node without another beside it goes up as it is: that is the tree of RFC 6962, 2.1.
  WHILE array_length(level, 1) > 1 LOOP
    SELECT array_agg(CASE WHEN p.beside IS NULL THEN p.h ELSE sha256('\\x01'::bytea || p.h || p.beside) END ORDER BY p.place) INTO level
    FROM (SELECT u.h, u.place, lead(u.h) OVER (ORDER BY u.place) AS beside FROM unnest(level) WITH ORDINALITY AS u(h, place)) AS p
    WHERE p.place % 2 = 1;
  END LOOP;
  RETURN level[1];
END $$;
CREATE OR REPLACE FUNCTION quill_log.add_seal(
  told_kind text, told_month text, told_ids int8multirange, told_root bytea, told_detail jsonb, told_upto bigint, told_open int8multirange, told_until xid8
) RETURNS quill_log.seal LANGUAGE plpgsql AS $$
DECLARE
  last quill_log.seal;
  made quill_log.seal;
BEGIN
  SELECT * INTO last FROM quill_log.seal AS s ORDER BY s.number DESC LIMIT 1;
  made.number := coalesce(last.number, 0) + 1;
  made.at := clock_timestamp();
  made.kind := told_kind;
  made.month := told_month;
  made.ids := told_ids;
  made.root := told_root;
  made.detail := told_detail;
  made.previous := last.hash;
  made.hash := sha256(convert_to(json_build_array(made.number::text, to_char(made.at AT TIME ZONE 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS.US"Z"'), made.kind,
    made.month, made.ids::text, encode(made.root, 'hex'), made.detail::text, encode(made.previous, 'hex'))::text, 'UTF8'));
  made.upto := coalesce(told_upto, last.upto, 0);
  made.open := coalesce(told_open, last.open, '{}');
  made.until := coalesce(told_until, last.until, '0');
  INSERT INTO quill_log.seal SELECT made.*;
  RETURN made;
END $$;
CREATE OR REPLACE FUNCTION quill_log.make_seals(unless_since interval) RETURNS SETOF quill_log.seal LANGUAGE plpgsql SECURITY DEFINER ${fixedPath} SET enable_seqscan = off SET jit = off AS $$
DECLARE
  last quill_log.seal;
  part record;
BEGIN
  -- One at a time; reading goes on.
  LOCK TABLE quill_log.seal IN EXCLUSIVE MODE;
  SELECT * INTO last FROM quill_log.seal AS s ORDER BY s.number DESC LIMIT 1;
  IF EXISTS (SELECT FROM quill_log.seal AS s WHERE s.kind = 'entries' AND s.at > clock_timestamp() - unless_since) THEN
    RETURN;
  END IF;
  FOR part IN
    WITH fresh AS MATERIALIZED (
      (SELECT c.id, c.at, c.hash FROM quill_log.change AS c WHERE c.id > coalesce(last.upto, 0) ORDER BY c.id LIMIT ${mostSealed})
      UNION ALL
      SELECT c.id, c.at, c.hash FROM unnest(last.open) AS o JOIN quill_log.change AS c ON c.id >= lower(o) AND c.id < upper(o)
    ), numbered AS MATERIALIZED (
      SELECT f.id, f.hash, to_char(f.at AT TIME ZONE 'UTC', 'YYYY-MM') AS month, row_number() OVER (PARTITION BY to_char(f.at AT TIME ZONE 'UTC', 'YYYY-MM') ORDER BY f.id) AS place
      FROM fresh AS f
    ), islands AS (
      -- Numbers without a gap are as far from their places as one another.
      SELECT n.month, int8range(min(n.id), max(n.id) + 1) AS ids FROM numbered AS n GROUP BY n.month, n.id - n.place
    ), ranges AS MATERIALIZED (
      SELECT i.month, range_agg(i.ids) AS ids FROM islands AS i GROUP BY 1
    ), leaves AS (
      SELECT n.month, array_agg(n.hash ORDER BY n.id) AS hashes FROM numbered AS n GROUP BY 1
    ), entire AS MATERIALIZED (
      SELECT max(upper(r.ids)) - 1 AS upto, range_agg(u.ids) AS ids, pg_current_snapshot() AS moment FROM ranges AS r, unnest(r.ids) AS u(ids)
    )
    SELECT g.month, g.ids, l.hashes,
      greatest(e.upto, last.upto) AS upto, pg_snapshot_xmax(e.moment) AS until,
      int8multirange(int8range(coalesce(last.upto, 0) + 1, greatest(e.upto, last.upto) + 1)) - e.ids
        + CASE WHEN pg_snapshot_xmin(e.moment) >= coalesce(last.until, '0') THEN '{}'::int8multirange ELSE last.open - e.ids END AS open
    FROM ranges AS g JOIN leaves AS l USING (month), entire AS e
    ORDER BY g.month
  LOOP
    RETURN NEXT quill_log.add_seal('entries', part.month, part.ids, quill_log.merkle(part.hashes), '{}', part.upto, part.open, part.until);
  END LOOP;
END $$;
CREATE OR REPLACE FUNCTION quill_log.sign_seal(told_number bigint, told_signature bytea, told_by text) RETURNS boolean
LANGUAGE plpgsql SECURITY DEFINER ${fixedPath} AS $$
BEGIN
  UPDATE quill_log.seal AS s SET signature = told_signature, signed_by = told_by WHERE s.number = told_number AND s.signature IS NULL;
  RETURN FOUND;
END $$;`;

/** A seal as everybody reads it. */
export const sealColumns = `s.number::text AS "number", to_char(s.at AT TIME ZONE 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS.US"Z"') AS "at", s.kind AS "kind", s.month AS "month",
  s.ids::text AS "ids", encode(s.root, 'hex') AS "root", s.detail::text AS "detail", encode(s.previous, 'hex') AS "previous", encode(s.hash, 'hex') AS "hash",
  encode(s.signature, 'base64') AS "signature", s.signed_by AS "signed_by"`;

/** Seals what has no seal yet, unless something was sealed so many seconds ago or later: one row a seal that was made. */
export const makeSealsStatement = (unlessSince: number): Statement => ({
  purpose: "seal the log",
  writes: true,
  slow: true,
  text: `SELECT ${sealColumns} FROM "quill_log".make_seals(make_interval(secs => $1::float8)) AS s ORDER BY s.number`,
  values: [String(unlessSince)],
});

/** Notes the signature of a seal that has none. @param signature in base64 */
export const signSealStatement = (number: string, signature: string, by: string): Statement => ({
  purpose: "sign a seal",
  writes: true,
  text: `SELECT "quill_log".sign_seal($1::bigint, decode($2::text, 'base64'), $3::text)::text AS "signed"`,
  values: [number, signature, by],
});

/** The seals after the last one that is signed: those that wait for a signature. */
export const unsignedStatement = (): Statement => ({
  purpose: "seals that are not signed",
  text: `SELECT ${sealColumns} FROM "quill_log"."seal" AS s
WHERE s.number > (SELECT coalesce(max(g.number), 0) FROM "quill_log"."seal" AS g WHERE g.signature IS NOT NULL) ORDER BY s.number`,
  values: [],
});

/** How far a place has come to which seals are sent: `number`, null where it is not known; and the number of the last seal, `last`. */
export const sentStatement = (place: string): Statement => ({
  purpose: "how far seals were sent",
  text: `SELECT (SELECT s.number FROM "quill_log"."sent" AS s WHERE s.place = $1::text)::text AS "number",
  (SELECT coalesce(max(l.number), 0) FROM "quill_log"."seal" AS l)::text AS "last"`,
  values: [place],
});

/** Notes that a place has taken the seals up to one. */
export const noteSentStatement = (place: string, number: string): Statement => ({
  purpose: "note how far seals were sent",
  writes: true,
  text: `SELECT "quill_log".note_sent($1::text, $2::bigint)::text AS "number"`,
  values: [place, number],
});

/** The seals after one, in their order. */
export const sealsStatement = (after: string, most: number): Statement => ({
  purpose: "read the seals",
  text: `SELECT ${sealColumns} FROM "quill_log"."seal" AS s WHERE s.number > $1::bigint ORDER BY s.number LIMIT $2::int`,
  values: [after, String(most)],
});

/** The last seal over entries: `number`, `at`, `is_signed`, and how many entries wait for the next one, `waiting`. */
export const lastSealStatement = (): Statement => ({
  purpose: "the last seal",
  text: `SELECT s.number::text AS "number", s.at::text AS "at", (s.signature IS NOT NULL)::text AS "is_signed",
  (SELECT count(*) FROM "quill_log"."change" AS c WHERE c.id > s.upto)::text AS "waiting"
FROM "quill_log"."seal" AS s WHERE s.kind = 'entries' ORDER BY s.number DESC LIMIT 1`,
  values: [],
});
