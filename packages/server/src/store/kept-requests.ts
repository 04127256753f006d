import type { RecordedRequest, RecordedWire } from "@loyal-quill/core";
import { RequestEntity } from "./entities.js";
import type { InStore } from "./in-store.js";
import { raw } from "./orm.js";
import { recordedOf, rowOf, type ToldRequest, type ToldRow, toldColumns, toldOf } from "./request-rows.js";
import { requestFormat } from "./stored-format.js";

/** How many recorded requests are kept of each page: of people who are signed in, and of nobody, who could send any number. */
export const mostRequests = { known: 10_000, unknown: 500 };
/** How long they are kept, in days. */
const requestsFor = 90;
/** Of so many requests, the newest ones, the sums are made. */
const mostSummed = 20_000;

/** What is asked of the kept requests. */
export interface RequestQuery {
  readonly page?: string | undefined;
  /** The id of an actor; `nobody` for those of nobody. */
  readonly person?: string | undefined;
  readonly outcome?: string | undefined;
  /** The step at which they stopped. */
  readonly step?: string | undefined;
  /** The key's values, with slashes between. */
  readonly record?: string | undefined;
  /** A field with something wrong. */
  readonly field?: string | undefined;
  /** Milliseconds that they took at least. */
  readonly slower?: number | undefined;
  readonly since?: Date | undefined;
  /** Words in the address, the record, the name or the reason; or a request's or trace's id. */
  readonly text?: string | undefined;
}

/** Sums over the kept requests. */
export interface RequestSums {
  /** How many there are; of the newest ones only where there are more. */
  readonly count: number;
  readonly ofNewest: boolean;
  readonly days: readonly { readonly day: string; readonly outcome: string; readonly count: number }[];
  readonly rules: readonly { readonly field: string; readonly by: string; readonly count: number }[];
  /** Milliseconds: half of the requests took less, and nineteen of twenty. */
  readonly steps: readonly { readonly step: string; readonly half: number; readonly most: number }[];
}

/** Milliseconds in which requests are gathered to be written at once, and how many at most. */
const together = 150;
const mostTogether = 50;

/** After so many writings of a page it is looked whether there are too many of it. */
const every = 20;
/** So many are removed by one statement, at most: none takes longer than the store waits for it. */
const mostForgotten = 1000;

interface Waiting {
  readonly recorded: RecordedRequest;
  readonly resolve: () => void;
  readonly reject: (error: unknown) => void;
}

/** What removes those of a page that come after the newest; of people who are known, and of nobody. */
export const surplusOf = (database: string, page: string | null): { text: string; values: (string | number)[] }[] =>
  (
    [
      ["IS NOT NULL", mostRequests.known],
      ["IS NULL", mostRequests.unknown],
    ] as const
  ).map(([known, most]) => ({
    // Written so that the index of a page's requests serves it: IS NOT DISTINCT FROM is served by none.
    text: `DELETE FROM request WHERE number IN (
      SELECT number FROM request WHERE database = ? AND ${page === null ? "page IS NULL" : "page = ?"} AND actor_id ${known}
      ORDER BY number DESC OFFSET ? LIMIT ?)`,
    values: [database, ...(page === null ? [] : [page]), most, mostForgotten],
  }));

/** The recorded requests of one edited database. */
export class KeptRequests {
  /** How often something of each page was written. */
  private readonly kept = new Map<string | null, number>();
  private waiting: Waiting[] = [];
  private timer: NodeJS.Timeout | undefined;
  /** When it was last looked for what is too old, in milliseconds since 1970. */
  private agedAt = 0;
  private forgetting: Promise<void> = Promise.resolve();
  /** Told when what is too old or too much could not be removed: what came in was kept all the same. */
  onForgetFailure: (error: unknown) => void = () => {};

  private readonly database: string;

  constructor(private readonly store: InStore) {
    this.database = store.database;
  }

  /**
   * Keeps a request, together with those that come within a moment.
   *
   * @returns when it is kept; rejects where the store is away
   */
  keep(recorded: RecordedRequest): Promise<void> {
    const kept = new Promise<void>((resolve, reject) => {
      this.waiting.push({ recorded, resolve, reject });
    });
    if (this.waiting.length >= mostTogether) this.flush();
    else this.timer ??= setTimeout(() => this.flush(), together).unref();
    return kept;
  }

  /** Writes what waits, now. */
  flush(): void {
    clearTimeout(this.timer);
    this.timer = undefined;
    const all = this.waiting.splice(0);
    if (all.length === 0) return;
    this.insert(all.map(({ recorded }) => recorded)).then(
      () => {
        for (const { resolve } of all) resolve();
        const pages = new Set(all.map(({ recorded }) => recorded.page));
        this.forgetting = this.forgetting.then(() => this.forgetNowAndThen(pages)).catch(this.onForgetFailure);
      },
      (error: unknown) => {
        for (const { reject } of all) reject(error);
      },
    );
  }

  private async insert(requests: readonly RecordedRequest[]): Promise<void> {
    const rows = requests.map((each) => rowOf(this.database, each));
    const [first = {}] = rows;
    const places = `(${Object.keys(first)
      .map(() => "?")
      .join(", ")})`;
    // Past the ORM's own way with statements, which writes values into their text: here that takes longer than all the rest. A crash may lose the last
    // moment of what was recorded, and nothing else; that is said in the same statement, so that one trip is enough.
    await this.store
      .em()
      .getKnex()
      .raw(
        `INSERT INTO request (${Object.keys(first).join(", ")}) VALUES ${rows.map(() => places).join(", ")}
         RETURNING (SELECT set_config('synchronous_commit', 'off', true)) IS NULL AS waits`,
        rows.flatMap((row) => Object.values(row)),
      );
  }

  /** Resolves when nothing is being removed any more. */
  settled(): Promise<void> {
    return this.forgetting;
  }

  /** Not after each request: of each page after every twentieth writing, and by age once an hour. */
  private async forgetNowAndThen(pages: ReadonlySet<string | null>): Promise<void> {
    for (const page of pages) {
      // Where the count begins is chance: a process that has just started doesn't look after all its pages at once.
      const count = (this.kept.get(page) ?? Math.floor(Math.random() * every)) + 1;
      this.kept.set(page, count);
      if (count % every === 0) await this.forgetSurplus(page);
    }
    if (Date.now() - this.agedAt < 3_600_000) return;
    this.agedAt = Date.now();
    await this.forgetAged();
  }

  /** Removes what is too old. */
  forgetAged(): Promise<void> {
    return this.removeAll(
      `DELETE FROM request WHERE number IN (
         SELECT number FROM request WHERE database = ? AND at < now() - make_interval(days => ?) LIMIT ?)`,
      [this.database, requestsFor, mostForgotten],
    );
  }

  /** Removes what is too much of one page, or of no page. */
  async forgetSurplus(page: string | null): Promise<void> {
    for (const { text, values } of surplusOf(this.database, page)) await this.removeAll(text, values);
  }

  /** Runs a statement that removes so many at most, until there are no more. */
  private async removeAll(text: string, values: readonly (string | number)[]): Promise<void> {
    const connection = this.store.em();
    for (let removed = mostForgotten; removed === mostForgotten; )
      removed = (await connection.execute<{ affectedRows: number }>(text, [...values], "run")).affectedRows;
  }

  /** Recorded requests, newest first, without what came over the wire. */
  async newest(query: { page?: string; operation?: string; limit: number }): Promise<RecordedRequest[]> {
    const where = {
      database: this.database,
      format: { $lte: requestFormat },
      ...(query.page ? { page: query.page } : {}),
      ...(query.operation ? { operation: query.operation } : {}),
    };
    const fields = ["recorded", "kept"] as const;
    const found = await this.store
      .em()
      .find(RequestEntity, where, { orderBy: { number: "desc" }, limit: query.limit, fields });
    return found.map(recordedOf);
  }

  /** Recorded requests by their ids, the oldest first, without what came over the wire. */
  async byIds(ids: readonly string[]): Promise<RecordedRequest[]> {
    const where = { database: this.database, format: { $lte: requestFormat }, id: { $in: [...ids] } };
    const fields = ["recorded", "kept"] as const;
    const found = await this.store.em().find(RequestEntity, where, { orderBy: { number: "asc" }, fields });
    return found.map(recordedOf);
  }

  /** A recorded request with all that is kept of it. */
  async one(id: string): Promise<RecordedRequest | null> {
    const where = { database: this.database, id, format: { $lte: requestFormat } };
    const found = await this.store.em().findOne(RequestEntity, where);
    if (!found) return null;
    const recorded = recordedOf(found);
    return found.wire ? { ...recorded, wire: JSON.parse(found.wire) as RecordedWire } : recorded;
  }

  /** What is told of each in a list, newest first. */
  async told(query: RequestQuery, limit: number, before?: string): Promise<ToldRequest[]> {
    const { where, values } = this.whereOf(query);
    const rows = await this.store
      .em()
      .execute<ToldRow[]>(
        `SELECT ${toldColumns} FROM request WHERE ${where}${before === undefined ? "" : " AND number < ?::bigint"} ORDER BY request.number DESC LIMIT ?`,
        [...values, ...(before === undefined ? [] : [before]), limit],
      );
    return rows.map(toldOf);
  }

  /** The last request of each of these pages that has had one, by the page's name. */
  async lastOfEach(pages: readonly string[]): Promise<ReadonlyMap<string, ToldRequest>> {
    const rows = await this.store.em().execute<ToldRow[]>(
      `SELECT r.* FROM jsonb_array_elements_text(?::jsonb) AS p (name), LATERAL (
           SELECT ${toldColumns} FROM request WHERE database = ? AND page = p.name AND format <= ${requestFormat} ORDER BY request.number DESC LIMIT 1) AS r`,
      [JSON.stringify(pages), this.database],
    );
    return new Map(rows.map((row) => [row.page ?? "", toldOf(row)]));
  }

  /** Their ids only, newest first: to be played again. */
  async ids(query: RequestQuery, limit: number): Promise<string[]> {
    const { where, values } = this.whereOf(query);
    const rows = await this.store
      .em()
      .execute<{ id: string }[]>(`SELECT id FROM request WHERE ${where} ORDER BY number DESC LIMIT ?`, [
        ...values,
        limit,
      ]);
    return rows.map(({ id }) => id);
  }

  async sums(query: RequestQuery): Promise<RequestSums> {
    const { where, values } = this.whereOf(query);
    const newest = `WITH r AS MATERIALIZED (SELECT at, outcome, problems, glance FROM request WHERE ${where} ORDER BY number DESC LIMIT ${mostSummed})`;
    const connection = this.store.em();
    const [days, rules, steps] = await Promise.all([
      connection.execute<{ day: string; outcome: string; count: string }[]>(
        `${newest} SELECT to_char(at AT TIME ZONE 'UTC', 'YYYY-MM-DD') AS day, outcome, count(*) AS count FROM r GROUP BY 1, 2 ORDER BY 1`,
        values,
      ),
      connection.execute<{ field: string; by: string; count: string }[]>(
        `${newest} SELECT p->>'field' AS field, p->>'by' AS by, count(*) AS count FROM r, jsonb_array_elements(r.problems) AS p GROUP BY 1, 2 ORDER BY 3 DESC, 1, 2 LIMIT 12`,
        values,
      ),
      connection.execute<{ step: string; half: number; most: number }[]>(
        `${newest} SELECT s->>'step' AS step, percentile_cont(0.5) WITHIN GROUP (ORDER BY (s->>'ms')::float8) AS half,
           percentile_cont(0.95) WITHIN GROUP (ORDER BY (s->>'ms')::float8) AS most FROM r, jsonb_array_elements(r.glance) AS s GROUP BY 1`,
        values,
      ),
    ]);
    const count = days.reduce((sum, each) => sum + Number(each.count), 0);
    return {
      count,
      ofNewest: count >= mostSummed,
      days: days.map((each) => ({ ...each, count: Number(each.count) })),
      rules: rules.map((each) => ({ ...each, count: Number(each.count) })),
      steps: steps.map(({ step, half, most }) => ({ step, half: Number(half), most: Number(most) })),
    };
  }

  /** How many requests of each page ended how, by day (UTC) since a moment. */
  async outcomes(since: Date): Promise<{ page: string; outcome: string; day: string; count: number }[]> {
    const day = "to_char(at AT TIME ZONE 'UTC', 'YYYY-MM-DD')";
    const rows = await this.store
      .em()
      .createQueryBuilder(RequestEntity, "r")
      .select(["page", "outcome", raw(`${day} as day`), raw("count(*) as count")])
      .where({ database: this.database, at: { $gte: since }, operation: { $ne: "list" } })
      .groupBy(["page", "outcome", raw(day)])
      .execute<{ page: string; outcome: string; day: string; count: string }[]>("all");
    return rows.map((row) => ({ ...row, count: Number(row.count) }));
  }

  private whereOf(query: RequestQuery): { where: string; values: (string | number | Date)[] } {
    const parts = ["database = ?", `format <= ${requestFormat}`];
    const values: (string | number | Date)[] = [this.database];
    const add = (part: string, ...given: (string | number | Date)[]): void => {
      parts.push(part);
      values.push(...given);
    };
    const { page, person, outcome, step, record, field, slower, since, text } = query;
    if (page) add("page = ?", page);
    if (person === "nobody") parts.push("actor_id IS NULL");
    else if (person) add("actor_id = ?", person);
    if (outcome === "refusals") parts.push("outcome IN ('invalid', 'conflict', 'refused', 'not-found', 'failed')");
    else if (outcome) add("outcome = ?", outcome);
    if (step) add("stopped_at = ?", step);
    if (record) add("record = ?", record);
    if (field) add("problems @> ?::jsonb", JSON.stringify([{ field }]));
    if (slower !== undefined) add("ms >= ?", slower);
    if (since) add("at >= ?", since);
    if (text) {
      const plain = text.trim().toLowerCase();
      if (/^[\da-f]{8}-([\da-f]{4}-){3}[\da-f]{12}$/.test(plain)) add("id = ?::uuid", plain);
      else if (/^[\da-f]{32}$/.test(plain)) add("trace = ?", plain);
      else {
        const pattern = `%${text.trim().replaceAll(/[\\%_]/g, (sign) => `\\${sign}`)}%`;
        add("concat_ws(' ', path, record, actor_name, reason) ILIKE ?", pattern);
      }
    }
    return { where: parts.join(" AND "), values };
  }
}
