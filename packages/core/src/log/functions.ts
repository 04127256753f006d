/**
 * The functions of the log's own schema: what makes an entry. What an entry's hash is taken over is told in docs/log.md, and once more, for
 * whoever verifies it, in `canonical.ts`.
 */

/** Every function that acts with its owner's rights has this search path, so that nobody's objects stand in the place of PostgreSQL's. */
export const fixedPath = "SET search_path = pg_catalog, pg_temp";

/** A value's commitment: SHA-256 over 16 random bytes and the value, after a byte 1; a byte 0 for null. @param place of its salt, from 0 */
const commitment = (place: string, value: string): string =>
  `coalesce('\\x01'::bytea || sha256(substr(salts, 1 + 16 * (${place}), 16) || convert_to(${value}, 'UTF8')), '\\x00')`;

/** What is known of an entry besides its number, time, transaction and values: SQL expressions. */
interface Told {
  readonly id: string;
  readonly at: string;
  readonly actorId: string;
  readonly actorName: string;
  readonly page: string;
  readonly pageVersion: string;
  readonly table: string;
  readonly key: string;
  readonly newKey: string;
  readonly operation: string;
  readonly fields: string;
  readonly request: string;
  readonly reason: string;
  readonly way: string;
  readonly origin: string;
  readonly undoes: string;
}

/** What the parts below work with. */
const declarations = `salts bytea := sha512(uuid_send(gen_random_uuid()));
  digest bytea := '';
  before_id bigint;
  before_hash bytea;
  chained bytea;`;

/** The commitments of a field change, by an expression for it: the byte 2 twice where its values are told to nobody. */
const fieldCommitments = (field: string, place: string): string =>
  `CASE WHEN ${field} ? 'hidden' THEN '\\x0202'::bytea ELSE ${commitment(`1 + ${place}`, `${field}->>'old'`)} || ${commitment(`2 + ${place}`, `${field}->>'new'`)} END`;

/**
 * `salts`, and `digest`, the hash over an entry's own content. A SHA-512 makes four salts of 122 random bits that are forgotten: none of them
 * tells of another. Most entries change one field: an expression costs more than what it does, so it is in the last one.
 */
const digestOf = (told: Told): string => `FOR i IN 1 .. jsonb_array_length(${told.fields}) - 1 LOOP
    salts := CASE i % 2 WHEN 1 THEN salts || sha512(uuid_send(gen_random_uuid())) ELSE salts END;
    digest := digest || ${fieldCommitments(`(${told.fields}->i)`, "2 * i")};
  END LOOP;
  digest := sha256(convert_to(json_build_array(
    ${told.id}::text, to_char(${told.at} AT TIME ZONE 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS.US"Z"'), pg_current_xact_id()::text, ${told.actorId}, ${told.actorName},
    ${told.page}, ${told.pageVersion}, ${told.table}, ${told.key}::text, ${told.newKey}::text, ${told.operation},
    jsonb_path_query_array(${told.fields}, '$[*].field')::text, ${told.request}::text, ${told.way}, ${told.origin}::text, array_to_string(${told.undoes}, ','))::text,
    'UTF8') || ${commitment("0", told.reason)} || CASE WHEN ${told.fields} <> '[]' THEN ${fieldCommitments(`(${told.fields}->0)`, "0")} ELSE '' END || digest);`;

/** The hash over an entry's content and over the entry before it of the same record. */
const chained = `sha256(excluded.hash || h.hash || int8send(h.id))`;

/**
 * Makes an entry of this content (`digest`) the record's last one, and finds the one before, `before_id` and `before_hash`, and `chained`, the hash over both. The upsert locks the
 * last entry that it replaces, and that is the newest one even where it was waited for (decision 41). The first entry of a record is hashed over
 * its content alone; one that changed the record's key is the last one under either key.
 */
const link = ({ table, key, newKey, id }: Pick<Told, "table" | "key" | "newKey" | "id">): string =>
  `INSERT INTO quill_log.head AS h (table_name, record_key, id, hash)
  VALUES (${table}, ${key}, ${id}, digest)
  ON CONFLICT ON CONSTRAINT head_pkey DO UPDATE
  SET previous_id = h.id, previous = h.hash, id = excluded.id, hash = ${chained}
  RETURNING h.previous_id, h.previous, h.hash INTO before_id, before_hash, chained;
  IF ${newKey} IS NOT NULL THEN
    INSERT INTO quill_log.head AS h (table_name, record_key, id, previous_id, previous, hash)
    VALUES (${table}, ${newKey}, ${id}, before_id, before_hash, chained)
    ON CONFLICT ON CONSTRAINT head_pkey DO UPDATE
    SET id = excluded.id, previous_id = excluded.previous_id, previous = excluded.previous, hash = excluded.hash;
  END IF;`;

/**
 * Writes one entry. What it is and how it came is checked here and not by the table, whose constraints would be set up anew for each entry: an
 * operation that there is not is null, which the table refuses; fields that are no array have no length.
 */
const write = (told: Told): string => `${digestOf(told)}
  ${link(told)}
  INSERT INTO quill_log.change (id, at, transaction, actor_id, actor_name, page, page_version, table_name, record_key, new_key, operation, fields,
    request_id, reason, way, origin, undoes, salt, previous_id, previous, hash) OVERRIDING SYSTEM VALUE
  VALUES (${told.id}, ${told.at}, pg_current_xact_id(), ${told.actorId}, ${told.actorName}, ${told.page}, ${told.pageVersion}, ${told.table}, ${told.key},
    ${told.newKey}, CASE WHEN ${told.operation} IN ('insert', 'update', 'delete') THEN ${told.operation} END, ${told.fields}, ${told.request}, ${told.reason}, ${told.way}, ${told.origin}, ${told.undoes}, salts, before_id,
    before_hash, chained);
  RETURN entry_id;`;

/** What the pages call: the only way in which their role adds to the log. Number, time and transaction are the database's. */
const addChangeFunction = `CREATE OR REPLACE FUNCTION quill_log.add_change(
  actor_id text, actor_name text, page text, page_version text, table_name text, record_key jsonb, operation text, fields jsonb, request_id uuid, reason text,
  new_key jsonb, undoes bigint[]
) RETURNS bigint LANGUAGE plpgsql SECURITY DEFINER ${fixedPath} AS $$
DECLARE
  entry_id bigint := nextval('quill_log.change_id_seq');
  entry_at timestamptz := clock_timestamp();
  ${declarations}
BEGIN
  ${write({
    id: "entry_id",
    at: "entry_at",
    actorId: "$1",
    actorName: "$2",
    page: "$3",
    pageVersion: "$4",
    table: "$5",
    key: "$6",
    newKey: "$11",
    operation: "$7",
    fields: "$8",
    request: "$9",
    reason: "$10",
    way: "'page'",
    origin: "NULL::jsonb",
    undoes: "$12",
  })}
END $$;`;

/** The same for those who may say when it was and in what way: the log's own functions, and its owner. */
const appendFunction = `CREATE OR REPLACE FUNCTION quill_log.append(
  at timestamptz, actor_id text, actor_name text, page text, page_version text, table_name text, record_key jsonb, operation text, fields jsonb,
  request_id uuid, reason text, new_key jsonb, undoes bigint[], way text, origin jsonb
) RETURNS bigint LANGUAGE plpgsql AS $$
DECLARE
  entry_id bigint := nextval('quill_log.change_id_seq');
  entry_at timestamptz := coalesce($1, clock_timestamp());
  ${declarations}
BEGIN
  ${write({
    id: "entry_id",
    at: "entry_at",
    actorId: "$2",
    actorName: "$3",
    page: "$4",
    pageVersion: "$5",
    table: "$6",
    key: "$7",
    newKey: "$12",
    operation: "$8",
    fields: "$9",
    request: "$10",
    reason: "$11",
    way: "$14",
    origin: "$15",
    undoes: "$13",
  })}
END $$;`;

/** Makes or renews the functions that write entries. */
export const entryFunctions = `${addChangeFunction}
${appendFunction}`;

/** Chains the entries of a log that had no chain yet, in their order: a part of an upgrade. */
export const chainEntries = `DO $$
DECLARE
  e quill_log.change;
  ${declarations}
BEGIN
  FOR e IN SELECT * FROM quill_log.change ORDER BY id LOOP
    salts := sha512(uuid_send(gen_random_uuid()));
    digest := '';
    ${digestOf({
      id: "e.id",
      at: "e.at",
      actorId: "e.actor_id",
      actorName: "e.actor_name",
      page: "e.page",
      pageVersion: "e.page_version",
      table: "e.table_name",
      key: "e.record_key",
      newKey: "e.new_key",
      operation: "e.operation",
      fields: "e.fields",
      request: "e.request_id",
      reason: "e.reason",
      way: "e.way",
      origin: "NULL::jsonb",
      undoes: "NULL::bigint[]",
    })}
    ${link({ table: "e.table_name", key: "e.record_key", newKey: "e.new_key", id: "e.id" })}
    UPDATE quill_log.change AS c
    SET transaction = pg_current_xact_id(), salt = salts, previous_id = before_id, previous = before_hash, hash = chained
    WHERE c.id = e.id AND c.at = e.at;
  END LOOP;
END $$;`;
