/**
 * What is done to the log itself: a table is watched or no more, a month is dropped, values are erased. Each such act is an entry of its own, of the
 * table `quill_log.KIND`, and a seal that names the entry: a seal without it was not made by what makes such seals, and neither was an entry without
 * its seal. What verifying rests on stands in the seal: it is chained, and goes elsewhere with the others.
 */

/** The table that an act's entry names. @param kind of the act's seal: `dropped`, `erased`, `watched`, `unwatched` */
export const actTable = (kind: string): string => `quill_log.${kind}`;

/** The table of the entry that a log begins with, or is upgraded with: from which seal on acts have entries. */
export const installedTable = actTable("installed");

/** The table of the entries that tell which files were imported: each of them once, by its digest. */
export const importedTable = actTable("imported");

/** Whether an entry is about the log itself. */
export const isAct = (table: string): boolean => table.startsWith("quill_log.");

/**
 * `baseline_root` is over the digests of a table's rows as they were when watching began, in the order of their keys: SHA-256 over the hashes of
 * each thousand of them, each over a row's key's SHA-256 and its digest.
 */
export const actFunctions = `CREATE OR REPLACE FUNCTION quill_log.seal_act(
  told_kind text, told_month text, told_ids int8multirange, told_root bytea, told_key jsonb, told_detail jsonb
) RETURNS quill_log.seal LANGUAGE plpgsql AS $$
DECLARE
  detail jsonb := told_detail || jsonb_build_object('ids', told_ids::text, 'root', encode(told_root, 'hex'));
  entry bigint;
BEGIN
  entry := quill_log.append(NULL, 'role ' || session_user, session_user::text, '', '', 'quill_log.' || told_kind, told_key, 'insert',
    jsonb_build_array(jsonb_build_object('field', 'detail', 'old', NULL, 'new', detail::text)), NULL, told_detail->>'why', NULL, NULL, 'log', NULL);
  RETURN quill_log.add_seal(told_kind, told_month, told_ids, told_root, detail || jsonb_build_object('entry', entry::text), NULL, NULL, NULL);
END $$;
CREATE OR REPLACE FUNCTION quill_log.baseline_root(told_table text) RETURNS bytea LANGUAGE sql STABLE AS $$
  SELECT sha256(coalesce(string_agg(p.hash, ''::bytea ORDER BY p.part), '')) FROM (
    SELECT r.part, sha256(string_agg(sha256(convert_to(r.record_key::text, 'UTF8')) || r.digest, ''::bytea ORDER BY r.place)) AS hash
    FROM (
      SELECT b.record_key, b.digest, row_number() OVER (ORDER BY b.record_key) AS place, (row_number() OVER (ORDER BY b.record_key) - 1) / 1000 AS part
      FROM quill_log.baseline AS b WHERE b.table_name = told_table
    ) AS r GROUP BY 1
  ) AS p
$$;
CREATE OR REPLACE FUNCTION quill_log.seal_watched(told_table text, told_by text) RETURNS quill_log.seal LANGUAGE plpgsql AS $$
DECLARE
  w quill_log.watched;
  detail jsonb;
BEGIN
  SELECT * INTO STRICT w FROM quill_log.watched AS each WHERE each.table_name = told_table;
  detail := jsonb_build_object('table', w.table_name, 'by', told_by, 'number', w.number::text, 'key', to_jsonb(w.key_columns), 'columns', to_jsonb(w.columns),
    'hidden', to_jsonb(w.hidden), 'since_id', w.since_id::text, 'baseline', CASE WHEN w.has_baseline THEN encode(quill_log.baseline_root(w.table_name), 'hex') END);
  RETURN quill_log.seal_act('watched', NULL, '{}', sha256(convert_to(detail::text, 'UTF8')), jsonb_build_object('table', w.table_name), detail);
END $$;`;

/** How many rows of a baseline are hashed together. */
export const baselinePart = 1000;

/** The entry that a log begins with: from which version it comes, and how many seals were made before acts had entries. */
export const installedEntry = (version: number): string =>
  `SELECT quill_log.append(NULL, 'role ' || session_user, session_user::text, '', '', '${installedTable}', '{"log": "change"}', 'insert',
  jsonb_build_array(jsonb_build_object('field', 'detail', 'old', NULL, 'new', jsonb_build_object('version', '${version}',
    'seals', (SELECT coalesce(max(s.number), 0) FROM quill_log.seal AS s)::text)::text)), NULL, NULL, NULL, NULL, 'log', NULL)
WHERE NOT EXISTS (SELECT FROM quill_log.change AS c WHERE c.table_name = '${installedTable}');`;

/**
 * Where seals go, and how far each place has come: the number of the last one that it took.
 */
export const placesSchema = `CREATE TABLE IF NOT EXISTS quill_log.sent (
  place text COLLATE "C" PRIMARY KEY,
  number bigint NOT NULL,
  at timestamptz NOT NULL DEFAULT clock_timestamp()
);
COMMENT ON TABLE quill_log.sent IS 'How far each place has come to which seals are sent.';
CREATE OR REPLACE FUNCTION quill_log.note_sent(told_place text, told_number bigint) RETURNS bigint LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog, pg_temp AS $$
BEGIN
  INSERT INTO quill_log.sent AS s (place, number) VALUES (told_place, told_number)
  ON CONFLICT (place) DO UPDATE SET number = greatest(s.number, excluded.number), at = clock_timestamp();
  RETURN told_number;
END $$;`;
