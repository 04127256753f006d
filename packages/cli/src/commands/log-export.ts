import {
  csvColumns,
  csvLines,
  csvRows,
  type ExportForm,
  entryEvent,
  entryLine,
  type Range,
  type Row,
  rangesOf,
  sealLineOf,
  sealsStatement,
  wholeEntriesStatement,
} from "@loyal-quill/core";
import { asText, entryOf, sealOf, setLocally } from "@loyal-quill/runtime";
import type pg from "pg";
import { CannotStart } from "../listen.js";
import { onConnection } from "../log-client.js";

export interface ExportOptions {
  readonly database: string;
  readonly format: ExportForm;
  /** Where an earlier export ended. */
  readonly since: string | undefined;
  /** What stands for the database in events. */
  readonly source: string;
}

/** Where an export ended: all entries up to `upto` but those of `open`, which were not there; and the last seal. */
interface Place {
  readonly upto: string;
  readonly open: string;
  readonly until: string;
  readonly seal: string;
}

const beginning: Place = { upto: "0", open: "{}", until: "0", seal: "0" };
const batch = 5000;

function placeOf(cursor: string | undefined): Place {
  if (cursor === undefined) return beginning;
  try {
    const place = JSON.parse(Buffer.from(cursor, "base64url").toString()) as Place;
    if (
      [place.upto, place.until, place.seal].every((each) => /^\d+$/.test(each)) &&
      /^\{[\d[\],)]*\}$/.test(place.open)
    )
      return place;
  } catch {
    // Said below.
  }
  throw new CannotStart("--since takes what an earlier export told as its cursor.");
}

const csvText = (rows: readonly (readonly (string | null)[])[]): string =>
  csvLines(rows.map((row) => row.map((text) => ({ text: text ?? "", isText: true }))));

const cursorOf = (place: Place): string => Buffer.from(JSON.stringify(place)).toString("base64url");

class Export {
  constructor(
    private readonly client: pg.ClientBase,
    private readonly options: ExportOptions,
    private readonly write: (text: string) => Promise<void>,
  ) {}

  private async ask({ text, values }: { text: string; values: readonly (string | null)[] }): Promise<readonly Row[]> {
    return (await this.client.query<Row>({ text, values: [...values], types: asText })).rows;
  }

  private textOf(row: Row): string {
    const entry = entryOf(row);
    if (this.options.format === "csv") return csvText(csvRows(entry));
    return `${this.options.format === "jsonl" ? entryLine(entry) : JSON.stringify(entryEvent(entry, this.options.source))}\n`;
  }

  private async between(from: string, upto: string): Promise<void> {
    for (let after = from; ; ) {
      const rows = await this.ask(wholeEntriesStatement({ from: after, upto }, batch));
      if (rows.length > 0) await this.write(rows.map((row) => this.textOf(row)).join(""));
      if (rows.length < batch) return;
      after = rows.at(-1)?.id ?? upto;
    }
  }

  /** Where this export ends: what is not there yet of the numbers up to the last. */
  private async end(place: Place): Promise<Place> {
    const [row] = await this.ask({
      text: `WITH upto AS (SELECT greatest(coalesce(max(c.id), 0), $1::bigint) AS upto, pg_current_snapshot() AS moment FROM quill_log.change AS c),
there AS (SELECT c.id, lag(c.id, 1, $1::bigint) OVER (ORDER BY c.id) AS before FROM quill_log.change AS c WHERE c.id > $1::bigint),
late AS (SELECT range_agg(int8range(c.id, c.id + 1)) AS ids FROM unnest($2::int8multirange) AS o JOIN quill_log.change AS c ON c.id >= lower(o) AND c.id < upper(o))
SELECT u.upto::text AS "upto", pg_snapshot_xmax(u.moment)::text AS "until",
  (coalesce((SELECT range_agg(int8range(t.before + 1, t.id)) FROM there AS t WHERE t.id > t.before + 1), '{}')
    + CASE WHEN pg_snapshot_xmin(u.moment) >= $3::xid8 THEN '{}' ELSE $2::int8multirange - coalesce(l.ids, '{}') END)::text AS "open",
  (SELECT coalesce(max(s.number), 0) FROM quill_log.seal AS s)::text AS "seal"
FROM upto AS u, late AS l`,
      values: [place.upto, place.open, place.until],
    });
    return row as unknown as Place;
  }

  private async seals(after: string): Promise<void> {
    for (let last = after; ; ) {
      const rows = await this.ask(sealsStatement(last, 1000));
      if (rows.length > 0) await this.write(rows.map((row) => `${sealLineOf(sealOf(row))}\n`).join(""));
      if (rows.length < 1000) return;
      last = rows.at(-1)?.number ?? last;
    }
  }

  async run(): Promise<Place> {
    const place = placeOf(this.options.since);
    const end = await this.end(place);
    if (this.options.format === "csv" && this.options.since === undefined) await this.write(csvText([[...csvColumns]]));
    for (const [from, before] of rangesOf(place.open) as Range[])
      await this.between(String(from - 1n), String(before - 1n));
    await this.between(place.upto, end.upto);
    if (this.options.format === "jsonl") await this.seals(place.seal);
    return end;
  }
}

/**
 * `quill log export`: the log's entries as of one moment, by their numbers, in a stream.
 *
 * @param write waits until what reads it takes more
 * @returns the cursor from which the next one goes on
 */
export const exportLog = (options: ExportOptions, write: (text: string) => Promise<void>): Promise<string> =>
  onConnection(options.database, async (client) => {
    await client.query(`BEGIN ISOLATION LEVEL REPEATABLE READ READ ONLY; ${setLocally}`);
    const cursor = cursorOf(await new Export(client, options, write).run());
    await client.query("ROLLBACK");
    if (options.format === "jsonl") await write(`${JSON.stringify({ type: "cursor", cursor })}\n`);
    return cursor;
  });
