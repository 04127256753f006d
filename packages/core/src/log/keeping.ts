import type { Statement } from "../postgres/statement.js";

/**
 * What is kept of the log, and for how long. A month's partition goes as a whole, once everything in it may go; `*` is the rule for
 * tables that have none of their own. Values that were erased leave their commitments behind, so that the chain still holds.
 */
export const keepingSchema = `CREATE TABLE IF NOT EXISTS quill_log.retention (
  table_name text COLLATE "C" PRIMARY KEY,
  months integer NOT NULL CHECK (months BETWEEN 1 AND 1200),
  last integer NOT NULL DEFAULT 0 CHECK (last BETWEEN 0 AND 1000)
);
COMMENT ON TABLE quill_log.retention IS 'How many months of a table''s entries are kept, and how many of each record in any case.';`;

/** The months that have a partition, by what `partitionName` calls it. */
const months = `SELECT p.relname AS partition, replace(substr(p.relname, 8), '_', '-') AS month FROM pg_inherits AS i JOIN pg_class AS p ON p.oid = i.inhrelid
  WHERE i.inhparent = 'quill_log.change'::regclass AND p.relname ~ '^change_\\d{4}_\\d{2}$'`;

export const keepingFunctions = `CREATE OR REPLACE FUNCTION quill_log.months_kept(today timestamptz) RETURNS TABLE (month text, entries bigint, kept_for text) LANGUAGE plpgsql AS $$
DECLARE
  part record;
  beyond timestamptz;
BEGIN
  FOR part IN SELECT * FROM (${months}) AS m ORDER BY m.month LOOP
    month := part.month;
    beyond := (part.month || '-01 00:00:00+00')::timestamptz AT TIME ZONE 'UTC' + interval '1 month';
    EXECUTE format('SELECT count(*) FROM quill_log.%I', part.partition) INTO entries;
    CONTINUE WHEN entries = 0;
    EXECUTE format('SELECT string_agg(said, ''; '' ORDER BY said) FROM (
        SELECT e.table_name || CASE WHEN r.months IS NULL THEN '', which has no rule'' ELSE '', for '' || r.months || '' months'' END AS said
        FROM (SELECT DISTINCT table_name FROM quill_log.%1$I) AS e
        -- What was done to the log itself goes with the last of the others.
        CROSS JOIN LATERAL (SELECT CASE WHEN e.table_name LIKE ''quill\\_log.%%'' THEN (SELECT max(a.months) FROM quill_log.retention AS a)
          ELSE (SELECT o.months FROM quill_log.retention AS o WHERE o.table_name IN (e.table_name, ''*'') ORDER BY o.table_name = ''*'' LIMIT 1) END AS months) AS r
        WHERE r.months IS NULL OR $1 + make_interval(months => r.months) > $2
        UNION ALL
        SELECT DISTINCT e.table_name || '', the last '' || r.last || '' of each record''
        FROM (SELECT table_name, record_key, max(id) AS id, count(*) AS here FROM quill_log.%1$I WHERE table_name NOT LIKE ''quill\\_log.%%'' GROUP BY 1, 2) AS e
        JOIN LATERAL (SELECT * FROM quill_log.retention AS r WHERE r.table_name IN (e.table_name, ''*'') ORDER BY r.table_name = ''*'' LIMIT 1) AS r ON r.last > 0
        WHERE (SELECT count(*) FROM (SELECT FROM quill_log.change AS c WHERE c.table_name = e.table_name AND c.record_key = e.record_key AND c.id > e.id LIMIT r.last) AS newer) < r.last
      ) AS s', part.partition) INTO kept_for USING beyond, today;
    RETURN NEXT;
  END LOOP;
END $$;
CREATE OR REPLACE FUNCTION quill_log.drop_month(told_month text, told_detail jsonb) RETURNS quill_log.seal LANGUAGE plpgsql AS $$
DECLARE
  partition text := 'change_' || replace(told_month, '-', '_');
  before bigint;
  sealed int8multirange;
  there int8multirange;
  of_seal record;
  root bytea;
  made quill_log.seal;
BEGIN
  LOCK TABLE quill_log.seal IN EXCLUSIVE MODE;
  -- What came of a month after it was dropped is sealed and dropped by itself.
  SELECT coalesce(max(s.number), 0) INTO before FROM quill_log.seal AS s WHERE s.kind = 'dropped' AND s.month = told_month;
  SELECT range_agg(r.ids) INTO sealed FROM (SELECT unnest(s.ids) AS ids FROM quill_log.seal AS s WHERE s.kind = 'entries' AND s.month = told_month AND s.number > before) AS r;
  EXECUTE format('SELECT range_agg(int8range(i.low, i.high + 1)) FROM (
    SELECT min(n.id) AS low, max(n.id) AS high FROM (SELECT id, id - row_number() OVER (ORDER BY id) AS island FROM quill_log.%I) AS n GROUP BY n.island) AS i', partition) INTO there;
  IF there IS DISTINCT FROM sealed THEN
    RAISE EXCEPTION 'The entries of % are not those that were sealed: verify the log first.', told_month;
  END IF;
  FOR of_seal IN SELECT s.number, s.ids, s.root FROM quill_log.seal AS s WHERE s.kind = 'entries' AND s.month = told_month AND s.number > before LOOP
    EXECUTE format('SELECT quill_log.merkle(array_agg(c.hash ORDER BY c.id)) FROM quill_log.%I AS c WHERE $1 @> c.id', partition) INTO root USING of_seal.ids;
    IF root IS DISTINCT FROM of_seal.root THEN
      RAISE EXCEPTION 'The entries of seal % do not give its root: verify the log first.', of_seal.number;
    END IF;
  END LOOP;
  SELECT quill_log.merkle(array_agg(s.hash ORDER BY s.number)) INTO root FROM quill_log.seal AS s WHERE s.kind = 'entries' AND s.month = told_month AND s.number > before;
  made := quill_log.seal_act('dropped', told_month, sealed, root, jsonb_build_object('month', told_month), told_detail);
  EXECUTE format('DROP TABLE quill_log.%I', partition);
  RETURN made;
END $$;
CREATE OR REPLACE FUNCTION quill_log.erase(told_table text, told_key jsonb, told_fields text[], with_reasons boolean, told_detail jsonb) RETURNS quill_log.seal LANGUAGE plpgsql AS $$
DECLARE
  e quill_log.change;
  f jsonb;
  changed jsonb;
  salts bytea;
  reason_kept text;
  nothing bytea := decode(repeat('00', 16), 'hex');
  ids int8multirange := '{}';
BEGIN
  LOCK TABLE quill_log.seal IN EXCLUSIVE MODE;
  FOR e IN
    WITH RECURSIVE names (record_key, until) AS (
      SELECT told_key, 9223372036854775807
      UNION ALL
      SELECT c.record_key, c.id FROM names AS n JOIN quill_log.change AS c ON c.table_name = told_table AND c.new_key = n.record_key AND c.id < n.until
    )
    SELECT c.* FROM names AS n JOIN quill_log.change AS c ON c.table_name = told_table AND c.record_key = n.record_key AND c.id <= n.until
    ORDER BY c.id
  LOOP
    changed := '[]';
    salts := e.salt;
    reason_kept := NULL;
    FOR i IN 0 .. jsonb_array_length(e.fields) - 1 LOOP
      f := e.fields->i;
      IF f->>'field' = ANY (told_fields) AND NOT f ? 'hidden' AND (f->>'old' IS NOT NULL OR f->>'new' IS NOT NULL) THEN
        f := jsonb_build_object('field', f->'field', 'old', NULL, 'new', NULL, 'erased', coalesce(f->'erased', '{}') || jsonb_strip_nulls(jsonb_build_object(
          'old', encode(sha256(substr(salts, 17 + 32 * i, 16) || convert_to(f->>'old', 'UTF8')), 'hex'),
          'new', encode(sha256(substr(salts, 33 + 32 * i, 16) || convert_to(f->>'new', 'UTF8')), 'hex'))));
        salts := overlay(overlay(salts PLACING nothing FROM 17 + 32 * i) PLACING nothing FROM 33 + 32 * i);
      END IF;
      changed := changed || jsonb_build_array(f);
    END LOOP;
    IF with_reasons AND e.reason IS NOT NULL THEN
      reason_kept := encode(sha256(substr(salts, 1, 16) || convert_to(e.reason, 'UTF8')), 'hex');
      salts := overlay(salts PLACING nothing FROM 1);
    END IF;
    CONTINUE WHEN salts = e.salt;
    UPDATE quill_log.change AS c SET fields = changed, salt = salts, reason = CASE WHEN reason_kept IS NULL THEN c.reason END,
      kept = CASE WHEN reason_kept IS NULL THEN c.kept ELSE jsonb_build_object('reason', reason_kept) END
    WHERE c.id = e.id AND c.at = e.at;
    ids := ids + int8multirange(int8range(e.id, e.id + 1));
  END LOOP;
  IF isempty(ids) THEN
    RETURN NULL;
  END IF;
  -- Their hashes are what they were: values are erased, and their commitments stay.
  RETURN quill_log.seal_act('erased', NULL, ids, (SELECT quill_log.merkle(array_agg(c.hash ORDER BY c.id)) FROM quill_log.change AS c WHERE ids @> c.id),
    jsonb_build_object('table', told_table, 'key', told_key), told_detail);
END $$;
CREATE OR REPLACE FUNCTION quill_log.notify_changes() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  PERFORM pg_notify('quill_log', (SELECT json_build_object('from', min(n.id)::text, 'to', max(n.id)::text, 'count', count(*), 'tables', (array_agg(DISTINCT n.table_name))[1:50])::text
    FROM new_rows AS n HAVING count(*) > 0));
  RETURN NULL;
END $$;`;

/** Has listeners on the channel `quill_log` told of entries, or no more. */
export const notifyStatement = (on: boolean): string =>
  on
    ? `CREATE OR REPLACE TRIGGER quill_notify AFTER INSERT ON quill_log.change REFERENCING NEW TABLE AS new_rows FOR EACH STATEMENT EXECUTE FUNCTION quill_log.notify_changes()`
    : `DROP TRIGGER IF EXISTS quill_notify ON quill_log.change`;

/** The months of the log: `month`, `entries`, and `kept_for`, for the sake of what; null where a month may go. */
export const monthsStatement = (now: Date): Statement => ({
  purpose: "which months are kept",
  slow: true,
  text: `SELECT m.month AS "month", m.entries::text AS "entries", m.kept_for AS "kept_for" FROM "quill_log".months_kept($1::timestamptz) AS m`,
  values: [now.toISOString()],
});
