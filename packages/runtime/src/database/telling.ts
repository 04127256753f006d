import { byName, type Row, type Told } from "@loyal-quill/core";
import pg from "pg";
import type { Messages, Prepared } from "./prepared.js";

/** Text forms that do not depend on the server's settings: ISO dates in UTC, exact floats, hexadecimal bytes. */
export const textForms = {
  timezone: "UTC",
  datestyle: "ISO,YMD",
  intervalstyle: "iso_8601",
  extra_float_digits: "1",
  bytea_output: "hex",
  standard_conforming_strings: "on",
} as const;

/** What gives one transaction these text forms, and as much time as it takes: for whoever reads a log whole. */
export const setLocally = `${Object.entries({
  ...textForms,
  statement_timeout: "0",
  idle_in_transaction_session_timeout: "0",
})
  .map(([name, value]) => `SET LOCAL ${name} = '${value}'`)
  .join("; ")}; SET LOCAL client_min_messages TO warning`;

/**
 * A column's value as PostgreSQL writes it. The parsers of `pg` are its process's: an application may have set its own, by which a
 * number would come back as something else.
 */
export const asText = { getTypeParser: () => (text: string | Buffer) => text } as unknown as pg.CustomTypesConfig;

const told = ["quill.actor", "quill.page", "quill.request", "quill.trace"];

/** A statement that says of itself that it takes long has so long, in milliseconds. */
export const slowStatement = 1_800_000;

const timeLimit = "statement_timeout";

const ofRequest = ({ actor, page, request, trace = "" }: Told): readonly string[] => [actor, page, request, trace];

/** What is told before each statement: who asks; on connections that are others' too, all that a statement relies on besides. */
export class Telling {
  private readonly fixed: readonly (readonly [name: string, value: string])[];
  readonly text: string;
  /** The same, with how long the next statement may take. */
  readonly textWithin: string;

  /** @param settings what holds for this statement's transaction only, on a connection that others use as well */
  constructor(settings: Readonly<Record<string, string>> | null) {
    this.fixed = Object.entries(settings ?? {});
    const names = [...told, ...this.fixed.map(([name]) => name)];
    // None is ever null, so all are set; and no column of the answer has to be read.
    const tell = (each: readonly string[]): string =>
      `SELECT WHERE ${each.map((name, index) => `set_config('${name}', $${index + 1}, true) IS NOT NULL`).join(" AND ")}`;
    this.text = tell(names);
    this.textWithin = tell([...names.filter((name) => name !== timeLimit), timeLimit]);
  }

  /** What is told before a statement that may take so many milliseconds only. */
  within(told: Told, ms: number): ToldBefore {
    const kept = this.fixed.flatMap(([name, value]) => (name === timeLimit ? [] : [value]));
    return { text: this.textWithin, values: [...ofRequest(told), ...kept, String(ms)] };
  }

  /** @param slow whether what follows may take long */
  values(told: Told, slow = false): readonly string[] {
    const limit = String(slowStatement);
    return [...ofRequest(told), ...this.fixed.map(([name, value]) => (slow && name === timeLimit ? limit : value))];
  }
}

/** What is told where nobody asks: while catalogs are read, for one. */
export const nobodyAsks: Told = { actor: "", page: "", request: "" };

/** What was asked for, in full: nothing of it is for `pg` to guess. */
interface Asked {
  readonly text: string;
  readonly values: readonly (string | null)[];
  /** Whether the connection may keep it prepared. */
  readonly kept: boolean;
}

/** What is told before it, in the same trip. */
interface ToldBefore {
  readonly text: string;
  readonly values: readonly string[];
}

type Callback = (error: Error | null, rows: readonly Row[]) => void;

/** An error that PostgreSQL has sent: the connection goes on. */
const codeOf = (error: Error): string | null =>
  "severity" in error && "code" in error && typeof error.code === "string" ? error.code : null;

/** What the connection prepared is not there any more (26000), or its columns have become others (0A000). */
const isOutdated = (code: string): boolean => code === "0A000" || code === "26000";

/**
 * One statement, every value of which comes back as PostgreSQL's text.
 *
 * PostgreSQL may be told of the request before it, in the same trip: both are sent up to one Sync, so they are one transaction, in which the
 * settings hold (PostgreSQL documentation, 55.2.3 and 9.27.1). The answer to that is left out.
 *
 * @param prepared what the connection keeps; null where it may keep nothing, since it is another one with each transaction
 */
export class TextQuery extends pg.Query {
  private isTelling: boolean;
  private columns: readonly string[] = [];
  private statement: ReturnType<Prepared["of"]> = null;
  /** The texts that were parsed with this query: where it fails, nobody knows which of them are prepared. */
  private readonly parsed: string[] = [];
  private readonly rows: Row[] = [];

  constructor(
    private readonly asked: Asked,
    private readonly before: ToldBefore | null,
    private readonly prepared: Prepared | null,
    private readonly callback: Callback,
  ) {
    super(asked.text);
    // Without values or a name it would go as a simple query, in a transaction of its own.
    Object.assign(this, { values: asked.values, queryMode: "extended" });
    this.isTelling = before !== null;
  }

  prepare(connection: Messages): void {
    const { text, values, kept } = this.asked;
    if (this.before) {
      const name = this.parse(connection, this.before.text, this.prepared?.of(this.before.text, connection) ?? null);
      connection.bind({ portal: "", statement: name, values: this.before.values });
      connection.execute({ portal: "" });
    }
    this.statement = kept ? (this.prepared?.of(text, connection) ?? null) : null;
    const name = this.parse(connection, text, this.statement);
    connection.bind({ portal: "", statement: name, values });
    if (this.statement?.columns) this.columns = this.statement.columns;
    else connection.describe({ type: "P", name: "" });
    connection.execute({ portal: "" });
    connection.sync();
  }

  /** @returns the name by which it is to be bound */
  private parse(connection: Messages, text: string, statement: ReturnType<Prepared["of"]>): string {
    const name = statement?.name ?? "";
    if (statement?.isParsed) return name;
    connection.parse({ name, text, types: [] });
    if (statement) {
      statement.isParsed = true;
      this.parsed.push(text);
    }
    return name;
  }

  handleRowDescription({ fields }: { readonly fields: readonly { readonly name: string }[] }): void {
    this.columns = fields.map(({ name }) => name);
    if (this.statement) this.statement.columns = this.columns;
  }

  handleDataRow({ fields }: { readonly fields: readonly (string | null)[] }): void {
    if (this.isTelling) return;
    const row = byName<string | null>();
    for (let index = 0; index < this.columns.length; index++)
      row[this.columns[index] as string] = fields[index] ?? null;
    this.rows.push(row);
  }

  handleCommandComplete(): void {
    this.isTelling = false;
  }

  handleError(error: Error, connection: Messages): void {
    const code = codeOf(error);
    if (code !== null && this.prepared) {
      const outdated = isOutdated(code) ? [this.asked.text, ...(this.before ? [this.before.text] : [])] : [];
      for (const text of new Set([...this.parsed, ...outdated])) this.prepared.giveBack(text, connection);
    }
    this.callback(error, []);
  }

  handleReadyForQuery(): void {
    this.callback(null, this.rows);
  }
}
