import type { Actor } from "@loyal-quill/core/condition/facts";
import { fieldChanges } from "@loyal-quill/core/log/field-change";
import type { Page } from "@loyal-quill/core/page/page";
import { parserOf, rowOrNone, rowShape } from "@loyal-quill/core/postgres/answered";
import {
  type Database,
  DatabaseAway,
  DatabaseRefusal,
  type Row,
  type Statement,
  type Stored,
} from "@loyal-quill/core/postgres/statement";
import { recordAddress } from "@loyal-quill/core/settings/bound/path";
import { tableName } from "@loyal-quill/core/table/model";
import type { OutcomeKind } from "@loyal-quill/core/trip/outcome";
import type { RecordedRequest } from "@loyal-quill/core/trip/recording";
import type { PageRequest, PageResponse, SentFile } from "@loyal-quill/core/trip/request";
import { byName } from "@loyal-quill/core/values/by-name";
import * as v from "valibot";
import { type DocumentForm, type ReadDocument, readDocument } from "./browser.js";
import { type Evidence, type LoggedEntry, NotJudged, type Touched } from "./evidence.js";
import {
  type Asking,
  added,
  type Counts,
  countsIn,
  type Doubted,
  difference,
  doubtName,
  type Known,
  ReadRefused,
  type Sent,
  type Staging,
  touchedInWords,
  type World,
} from "./staging.js";
import {
  constraintsStatement,
  deferStatement,
  insertStatement,
  lookStatement,
  putStatement,
  removeStatement,
  rowStatement,
  touchedStatement,
  traceStatement,
  writtenStatement,
} from "./statements.js";

const loggedIn = parserOf(
  v.array(
    v.object({ operation: v.string(), actor: v.string(), table: v.string(), key: rowShape, fields: fieldChanges }),
  ),
  "[]",
);

const longestAnswer = 20_000;

const sentFiles = (files: Readonly<Record<string, Uint8Array>>): ReadonlyMap<string, SentFile> =>
  new Map(
    Object.entries(files).map(([name, bytes]) => [
      name,
      {
        name: `${name}.csv`,
        type: "text/csv",
        size: bytes.length,
        bytes,
        hex: () => [...bytes].map((byte) => byte.toString(16).padStart(2, "0")).join(""),
        text: () => null,
      },
    ]),
  );

/**
 * Where one case is played: one transaction, which is rolled back whatever happens. The page is asked through the same engine as a
 * request; the table is looked at, and changed underneath, by statements of the stage's own.
 */
export class Stage {
  readonly evidence: Evidence[] = [];
  readonly wrong: string[] = [];
  readonly notes: string[] = [];
  /** What came out otherwise than it was sent, as far as the table was not asked yet. */
  readonly doubted: Doubted[] = [];
  /** What the table itself makes of the same values. */
  private readonly direct = new Map<string, Row | null>();
  /** What was counted when it was last looked at; null before anything was written. */
  private mark: Counts | null = null;
  private settled: Touched[][] = [];
  private hasWritten = false;
  /** Whether something was only opened since it was last looked what was touched. */
  private hasOpened = false;

  readonly world: World;
  readonly page: Page;
  private readonly known: Known;
  private readonly readsMayFail: boolean;
  private readonly asked: readonly Doubted[];

  constructor(
    private readonly inside: Database,
    { world, page, known, readsMayFail = false, asked = [] }: Staging,
  ) {
    this.world = world;
    this.page = page;
    this.known = known;
    this.readsMayFail = readsMayFail;
    this.asked = asked;
  }

  /** Tells what is not as expected. */
  expect(isSo: boolean, otherwise: string): void {
    if (!isSo) this.wrong.push(otherwise);
  }

  /** Tells that something is not stored as it was sent; where the developer's own routine saves, that is its matter. */
  expectStored(isSo: boolean, otherwise: string): void {
    if (!this.page.routine) this.expect(isSo, otherwise);
    else if (!isSo) this.note(`${otherwise} The page's routine does that.`);
  }

  note(note: string): void {
    if (!this.notes.includes(note)) this.notes.push(note);
  }

  address(key: readonly string[], end: "" | "/edit" | "/delete" | "/history" = ""): string {
    return `${recordAddress(this.page.path, key)}${end}`;
  }

  get(path: string, actor: Actor | null, asking: Asking = {}): Promise<Sent> {
    return this.send("GET", path, actor, asking);
  }

  post(path: string, actor: Actor | null, body: string, asking: Asking = {}): Promise<Sent> {
    return this.send("POST", path, actor, { ...asking, body });
  }

  /** A form as it comes from opening it. @throws NotJudged where there is none */
  async form(path: string, actor: Actor): Promise<{ readonly sent: Sent; readonly form: DocumentForm }> {
    const sent = await this.get(path, actor);
    const { form } = sent.document;
    if (!form) throw new NotJudged(`${path} shows no form: ${sent.status} ${sent.stopped ?? sent.outcome}.`);
    return { sent, form };
  }

  async send(method: string, path: string, actor: Actor | null, asking: Asking = {}): Promise<Sent> {
    const { world } = this;
    const { body = null, refusedBody, query = {}, files = {}, at = world.now(), key = null } = asking;
    const session = asking.session ?? `rehearsal of ${actor?.id ?? "nobody"}`;
    const matched = world.engine.route(world.site, method, path);
    const writes = !/^(GET|HEAD|OPTIONS)$/.test(method);
    const before = key && writes ? await this.look(key) : null;
    if (!writes) this.hasOpened = true;
    else await this.askTable(path, key);
    if (matched.kind === "nowhere" || matched.kind === "strayed") {
      const nowhere = { status: 404, headers: {}, body: "" };
      return this.keep({ method, path, body, actor }, { recorded: null, response: nowhere }, before, { key, writes });
    }
    const request: PageRequest = {
      id: world.newId(),
      at,
      method,
      path,
      query,
      body: refusedBody ? { refused: refusedBody } : body === null ? null : { text: body, files: sentFiles(files) },
      actor,
      session,
      said: null,
      signIn: "/sign-in",
      signInCarries: false,
      frame: {
        base: "",
        styleSheets: [],
        script: null,
        application: "Rehearsal",
        home: "/",
        language: this.page.language,
        person: actor && { name: actor.name },
        signOut: null,
      },
    };
    this.hasWritten = false;
    const guarded = this.guarded(this.inside);
    const handled = await world.engine.handle(matched, request, {
      database: asking.through ? asking.through(guarded) : guarded,
      signer: world.signer,
      elapsed: world.elapsed,
      // Nothing is committed meanwhile, so there is nothing to wait for.
      pause: async () => {},
      formAge: 86_400_000,
      pages: () => world.site.pages,
    });
    let { body: answer } = handled.response;
    // A file may be as long as its table: what is past the limit is not asked for.
    for await (const part of handled.response.parts ?? []) {
      answer += typeof part === "string" ? part : "";
      if (answer.length >= longestAnswer) break;
    }
    const { recorded, response } = handled;
    return this.keep({ method, path, body, actor }, { recorded, response: { ...response, body: answer } }, before, {
      key,
      writes,
    });
  }

  private async keep(
    asked: Pick<Evidence, "method" | "path" | "body"> & { readonly actor: Actor | null },
    {
      recorded,
      response,
    }: Pick<Evidence, "recorded"> & { readonly response: Pick<PageResponse, "status" | "headers" | "body"> },
    before: Row | null,
    { key, writes }: { readonly key: readonly string[] | null; readonly writes: boolean },
  ): Promise<Sent> {
    // The answer stands in the evidence itself.
    const { wire: _, ...withoutWire } = recorded ?? { wire: null };
    const trace = writes && recorded ? await this.trace(recorded.id, key) : { touched: null, entries: [], row: before };
    const evidence: Evidence = {
      ...asked,
      actor: asked.actor && { id: asked.actor.id, name: asked.actor.name },
      status: response.status,
      headers: response.headers,
      answer: response.body.slice(0, longestAnswer),
      recorded: recorded && (withoutWire as RecordedRequest),
      touched: trace.touched,
      entries: trace.entries,
      before,
      after: trace.row,
    };
    this.evidence.push(evidence);
    const stop = recorded?.steps.find(({ stopped }) => stopped !== null);
    let document: ReadDocument | undefined;
    return {
      ...evidence,
      outcome: recorded?.outcome ?? "no page",
      stoppedAt: stop?.step ?? null,
      stopped: stop?.stopped ?? null,
      key,
      refused: stop?.values.find(({ name }) => name === "refused")?.value ?? null,
      get document() {
        document ??= readDocument(response.body);
        return document;
      },
    };
  }

  /** Puts the values that are in doubt into the table without the page, and takes that back. */
  private async askTable(path: string, key: readonly string[] | null): Promise<void> {
    for (const each of this.asked) {
      const isMeant = each.key === null ? path.endsWith("/new") : JSON.stringify(each.key) === JSON.stringify(key);
      if (!isMeant) continue;
      const { page } = this;
      const row = await this.tried(async () => {
        try {
          if (each.key === null) return (await this.inside.run(insertStatement(page, each.values)))[0] ?? null;
          await this.inside.run(putStatement(page, each.key, each.values));
          const values = byName(each.values);
          const named = page.key.map(({ name }, index) => values[name] ?? each.key?.[index] ?? "");
          return await this.row(named);
        } catch (error) {
          if (!(error instanceof DatabaseRefusal)) throw error;
          return null;
        }
      });
      this.direct.set(doubtName(each), row);
    }
  }

  /**
   * Whether a row is as the table itself makes it of these values: where it is not as was sent, the table is asked in another play.
   *
   * @returns the columns that are otherwise than the table would have them, each with what is told of it
   */
  asTheTableHasIt(doubt: Doubted, before: Row | null, after: Row, told: ReadonlyMap<string, string>): void {
    if (told.size === 0) return;
    const direct = this.direct.get(doubtName(doubt));
    if (direct === undefined) {
      this.doubted.push(doubt);
      return;
    }
    for (const [name, line] of told) {
      // What the table makes of a clock or a sequence is another value each time.
      const isMade = !Object.hasOwn(doubt.values, name) && direct?.[name] !== before?.[name];
      const isOwn = direct !== null && (direct[name] === after[name] || isMade);
      if (isOwn) this.note(`${line}: the table does that.`);
      else this.expectStored(false, `${line}.`);
    }
  }

  /** A statement of the stage's own. */
  run(statement: Statement): Promise<readonly Row[]> {
    return this.inside.run(statement);
  }

  /** The whole row as it is stored, asked for by its key alone. */
  async row(key: readonly string[]): Promise<Row | null> {
    const [row] = await this.inside.run(rowStatement(this.page, key));
    return row ?? null;
  }

  /** A row as it is before it may be changed; what was touched until then is none of what comes. */
  private async look(key: readonly string[]): Promise<Row | null> {
    const [found] = await this.inside.run(lookStatement(this.page, this.known.oids, key));
    if (this.hasOpened && this.mark !== null)
      this.openingWrote(difference(countsIn(this.known, found?.touched), this.mark));
    this.mark = countsIn(this.known, found?.touched);
    this.hasOpened = false;
    return rowOrNone(found?.row);
  }

  private openingWrote(touched: readonly Touched[]): void {
    this.expect(touched.length === 0, `What only opens has written: ${touchedInWords(touched)}.`);
  }

  /** The key that an entry of the log tells. */
  keyIn({ key }: LoggedEntry, otherwise: readonly string[] = []): readonly string[] {
    const values = byName(key);
    return this.page.key.map(({ name }, index) => values[name] ?? otherwise[index] ?? "");
  }

  /** What a request did, in one statement. */
  private async trace(
    request: string,
    key: readonly string[] | null,
  ): Promise<Pick<Evidence, "touched" | "entries"> & { readonly row: Row | null }> {
    const [found] = await this.inside.run(traceStatement(this.page, this.known.oids, request, key));
    const now = countsIn(this.known, found?.touched);
    // Nothing that writes was sent where nothing was marked.
    const touched = this.mark === null ? [] : difference(now, this.mark);
    if (this.mark !== null) this.mark = now;
    const all = added([...this.settled, touched]);
    this.settled = [];
    this.hasOpened = false;
    const entries = loggedIn(found?.entries);
    const row = rowOrNone(found?.row);
    const [entry] = entries;
    // A record whose key was changed is found by the new one.
    const moved = key && !row && entry?.operation === "update" ? await this.row(this.keyIn(entry, key)) : null;
    return { touched: this.known.tables.size > 0 ? all : null, entries, row: row ?? moved };
  }

  /**
   * Changes the record underneath, as somebody else would.
   *
   * @returns the row as it is then
   * @throws NotJudged where the table refuses it
   */
  async put(key: readonly string[], values: Readonly<Record<string, Stored>>): Promise<Row> {
    const names = Object.keys(values);
    const closed = names.filter((name) => {
      const column = this.page.table.columns.find((each) => each.name === name);
      return column?.written !== "freely" || !column.granted.update;
    });
    if (closed.length > 0) throw new NotJudged(`The connection may not change ${closed.join(", ")}.`);
    await this.underneath(putStatement(this.page, key, values));
    const row = await this.row(key);
    if (!row) throw new NotJudged("The table took the row away when it was changed.");
    const other = names.find((name) => values[name] !== row[name]);
    if (other !== undefined)
      throw new NotJudged(`The table made ${row[other] ?? "null"} of ${values[other] ?? "null"} in ${other}.`);
    return row;
  }

  /** Takes the record away underneath. @throws NotJudged where the table refuses it */
  async remove(key: readonly string[]): Promise<void> {
    await this.underneath(removeStatement(this.page, key));
    if (await this.row(key)) throw new NotJudged("The table keeps the row.");
  }

  private async underneath(change: Statement): Promise<void> {
    await this.begin();
    try {
      await this.inside.transaction((tx) => this.asAlone(tx, () => tx.run(change)));
    } catch (error) {
      if (error instanceof DatabaseRefusal) throw new NotJudged(`The table does not take it: ${error.message}.`);
      throw error;
    } finally {
      await this.sinceMark();
    }
  }

  /** Runs a part, and takes back what it changed. */
  async tried<Result>(run: () => Promise<Result>): Promise<Result> {
    const back = new Error("taken back");
    let result: { readonly of: Result } | undefined;
    try {
      await this.inside.transaction(async () => {
        result = { of: await run() };
        throw back;
      });
    } catch (error) {
      if (error !== back) throw error;
    }
    await this.sinceMark();
    return (result as { readonly of: Result }).of;
  }

  /** Runs what is a transaction of its own where a page is served: constraints that are put off are asked at its end. */
  private async asAlone<Result>(database: Database, run: () => Promise<Result>): Promise<Result> {
    const { deferred } = this.known;
    const result = await run();
    if (deferred === null) return result;
    await database.run(constraintsStatement());
    await database.run(deferStatement(deferred));
    return result;
  }

  /** Asks whether what only opened has written. */
  async close(): Promise<void> {
    if (this.mark === null) {
      const [written] = await this.inside.run(writtenStatement());
      this.expect(written?.transaction === null, "What only opens has written, or locked something.");
      return;
    }
    if (this.hasOpened) this.openingWrote(await this.sinceMark());
  }

  /** PostgreSQL counts for a while beyond a transaction's end: what was counted before is none of this one's. */
  private async begin(): Promise<void> {
    if (this.mark === null) await this.sinceMark();
  }

  private async sinceMark(): Promise<Touched[]> {
    const [row] = await this.inside.run(touchedStatement(this.known.oids));
    const now = countsIn(this.known, row?.touched);
    const touched = this.mark === null ? [] : difference(now, this.mark);
    this.mark = now;
    return touched;
  }

  /** Each statement up to a savepoint: after a refusal the transaction goes on, as another one would begin. */
  private guarded(database: Database, isNested = false): Database {
    /** What a refused statement touched is taken back, and yet counted by PostgreSQL. */
    const takingBack = async <Result>(run: () => Promise<Result>): Promise<Result> => {
      await this.begin();
      if (this.hasWritten) this.settled.push(await this.sinceMark());
      const before = this.settled.length;
      try {
        const result = await run();
        this.hasWritten = true;
        return result;
      } catch (error) {
        // Of several statements, those that had gone through are taken back as well.
        this.settled.length = before;
        if (!(error instanceof DatabaseAway)) await this.sinceMark();
        throw error;
      }
    };
    /** Several are asked for at once; of savepoints there is one at a time on a connection. */
    let last: Promise<unknown> = Promise.resolve();
    const inTurn = <Result>(run: () => Promise<Result>): Promise<Result> => {
      const answer = last.then(run, run);
      last = answer.catch(() => {});
      return answer;
    };
    return {
      run: (statement) => {
        const run = () => database.transaction((tx) => tx.run(statement));
        if (statement.writes && !isNested)
          return takingBack(() => database.transaction((tx) => this.asAlone(tx, () => tx.run(statement))));
        if (statement.writes) return takingBack(run);
        if (this.readsMayFail) return inTurn(run);
        return database.run(statement).catch((error: unknown) => {
          throw error instanceof DatabaseRefusal ? new ReadRefused(error.message) : error;
        });
      },
      transaction: (run, purpose) =>
        takingBack(() =>
          database.transaction((tx) => {
            const inside = () => run(this.guarded(tx, true));
            return isNested || purpose === "reading" ? inside() : this.asAlone(tx, inside);
          }),
        ),
    };
  }

  // What is expected of every request of a kind.

  /** The answer has one of these statuses, and the way ended as said. */
  answered(sent: Sent, statuses: readonly number[], outcome?: OutcomeKind | "no page"): void {
    const told = `${sent.method} ${sent.path} is answered ${sent.status} (${sent.stopped ?? sent.outcome})`;
    this.expect(statuses.includes(sent.status), `${told}, not ${statuses.join(" or ")}.`);
    if (outcome) this.expect(sent.outcome === outcome, `${told}: its outcome is ${sent.outcome}, not ${outcome}.`);
  }

  /** Nothing was written: not to the record, not to any table, not to the log. */
  untouched(sent: Sent): void {
    const { touched, entries, before, after } = sent;
    // What was changed and set back by the table's trigger is written, and no change.
    const isSetBack = sent.outcome === "unchanged" && this.page.table.triggersUpdates === true;
    if (isSetBack && (touched ?? []).length > 0) this.note("A trigger of the table set back what was sent.");
    this.expect(
      isSetBack || (touched ?? []).length === 0,
      `It wrote where nothing was to be written: ${touchedInWords(touched ?? [])}.`,
    );
    this.expect(
      entries.length === 0,
      `${entries.length === 1 ? "An entry was" : `${entries.length} entries were`} added to the change log where none belongs.`,
    );
    for (const [name, value] of Object.entries(before ?? {}))
      this.expect(
        after !== null && after[name] === value,
        `${name} is ${after?.[name] ?? "null"} now and was ${value ?? "null"}.`,
      );
  }

  /** A field is told to be wrong, at the field. */
  saysAt(sent: Sent, formName: string): void {
    const control = sent.document.form?.controls.find((each) => each.name === formName && each.type !== "hidden");
    this.expect(control?.invalid === true, `No message stands at ${formName}.`);
    if (control?.invalid)
      this.expect(
        control.said.trim() !== "",
        `The control of ${formName} is marked as wrong and nothing is said of it.`,
      );
  }

  /** What was sent is stored, nothing else of the record is otherwise, and one entry of the log says just that. */
  wrote(sent: Sent, values: Readonly<Record<string, Stored>>, actor: Actor): void {
    const { page } = this;
    const { touched, entries, before, after } = sent;
    this.answered(sent, [303], "saved");
    if (sent.outcome !== "saved" || !before || !after) {
      this.expect(after !== null || sent.outcome !== "saved", "The record is gone after the save.");
      return;
    }
    const own = touched?.find(({ table }) => table === tableName(page.table)) ?? null;
    if (touched && !page.routine) {
      const told = touchedInWords(touched) || "none";
      this.expect(
        own?.updated === 1 && own.inserted === 0 && own.deleted === 0,
        `One row was to be changed; touched were: ${told}.`,
      );
    }
    const others = (touched ?? []).filter((each) => each !== own);
    if (others.length > 0) this.note(`A trigger or rule wrote elsewhere as well: ${touchedInWords(others)}.`);
    const otherwise = new Map<string, string>();
    for (const [name, value] of Object.entries(values))
      if (after[name] !== value)
        otherwise.set(name, `${name} is stored as ${after[name] ?? "null"}, and ${value ?? "null"} was sent`);
    const set = new Set(page.sets.map(({ column }) => column.name));
    const onPage = new Set(page.fields.flatMap((field) => (field.readOnly ? [] : [field.column.name])));
    for (const { name, written } of page.table.columns) {
      if (Object.hasOwn(values, name) || after[name] === before[name] || set.has(name) || written !== "freely")
        continue;
      const told = `${name} was ${before[name] ?? "null"} and is ${after[name] ?? "null"}, though it was not sent`;
      if (onPage.has(name)) otherwise.set(name, told);
      else this.note(`${told}: the table does that.`);
    }
    const { key } = sent;
    if (key) this.asTheTableHasIt({ key, values }, before, after, otherwise);
    this.logged(entries, "update", { before, after }, actor);
  }

  /** One entry, by this person, that tells the difference of the two rows and nothing else. */
  logged(
    entries: readonly LoggedEntry[],
    operation: "insert" | "update" | "delete",
    { before, after }: { readonly before: Row | null; readonly after: Row | null },
    actor: Actor,
  ): void {
    const { page } = this;
    this.expect(entries.length === 1, `The change log has ${entries.length} entries of this request, not one.`);
    const [entry] = entries;
    if (!entry) return;
    this.expect(entry.operation === operation, `The log calls it ${entry.operation}, not ${operation}.`);
    this.expect(entry.actor === actor.id, `The log names ${entry.actor} as who did it, not ${actor.id}.`);
    this.expect(entry.table === tableName(page.table), `The log names the table ${entry.table}.`);
    for (const { name, sensitive } of page.table.columns) {
      const [old, now] = [before?.[name] ?? null, after?.[name] ?? null];
      const told = entry.fields.find(({ field }) => field === name);
      const differs = old !== now;
      if (!differs) this.expect(told === undefined, `The log tells of ${name}, which was not changed.`);
      else if (!told)
        this.expect(false, `The log says nothing of ${name}, which was ${old ?? "null"} and is ${now ?? "null"}.`);
      else if (!sensitive)
        this.expect(
          told.old === old && told.new === now,
          `The log says that ${name} went from ${told.old ?? "null"} to ${told.new ?? "null"}; it went from ${old ?? "null"} to ${now ?? "null"}.`,
        );
      else this.expect(told.old === null && told.new === null, `The log keeps values of ${name}, which is sensitive.`);
    }
  }
}
