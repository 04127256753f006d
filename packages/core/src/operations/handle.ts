import { ConditionTooLong } from "../condition/budget.js";
import { type Facts, factsOf } from "../condition/facts.js";
import { message, word } from "../messages/messages.js";
import { memoizePerPage } from "../page/memoize-per-page.js";
import type { Page } from "../page/page.js";
import { isRefusedAs } from "../postgres/refusal.js";
import type { Database, Told } from "../postgres/statement.js";
import { isRefusal, saidOf, unavailabilityOf } from "../postgres/unavailable.js";
import { decodeSegment, encodeSegment, queryText } from "../settings/bound/path.js";
import { mayMake, mayOpen } from "../steps/access.js";
import { answer } from "../steps/answer.js";
import { isWrittenAlike, readKey } from "../steps/key.js";
import { load } from "../steps/load.js";
import type { MatchedRoute } from "../steps/route.js";
import { failed, notFound, type Outcome, type Refusal, refused, type View } from "../trip/outcome.js";
import type { SavedEvent } from "../trip/own.js";
import { notKept, type RecordedRequest, Recorder } from "../trip/recording.js";
import type { Dependencies, PageRequest, PageResponse } from "../trip/request.js";
import { isSaving, type Operation, operations } from "../trip/round-trip.js";
import type { Trip } from "../trip/trip.js";
import { OwnCodeFailed } from "../values/registry.js";
import { apiRuns } from "./api.js";
import { withBeside } from "./beside.js";
import { runs } from "./index.js";

/** An answer with the record of how it came about. */
export interface Handled {
  readonly response: PageResponse;
  /** What is seen; null where the answer leads elsewhere after a save. */
  readonly view: View | null;
  readonly recorded: RecordedRequest;
  /** What was saved, where the page has something of its own to do after a save. */
  readonly saved: readonly SavedEvent[];
  /** What was sent to be saved and of which nobody knows yet whether it was: each asks the log anew, and answers null as long as that is so. */
  readonly undecided: Trip["undecided"];
  /** What failed of a developer's own code, for whoever looks after it. */
  readonly failures: readonly Error[];
}

/** The database, with every statement remembered by the recorder. */
const watched = (database: Database, recorder: Recorder): Database => ({
  transaction: (run, purpose) => database.transaction((inside) => run(watched(inside, recorder)), purpose),
  async run(statement) {
    const begun = recorder.now();
    try {
      const rows = await database.run(statement);
      recorder.statement(statement, rows.length, recorder.now() - begun, database.standby);
      return rows;
    } catch (error) {
      recorder.statement(statement, 0, recorder.now() - begun, database.standby);
      throw error;
    }
  },
});

/** The columns of a page's table whose values are recorded nowhere. */
const sensitiveColumns = memoizePerPage((page): readonly string[] =>
  page.table.columns.flatMap(({ name, sensitive }) => (sensitive ? [name] : [])),
);

/** A database that tells PostgreSQL with each statement who asks, for what page, in which request. */
const telling = (database: Database, told: Told): Database => ({
  run: (statement) => database.run({ ...statement, told }),
  transaction: (run, purpose) => database.transaction((inside) => run(telling(inside, told)), purpose),
});

class RoundTrip {
  key: readonly string[] | null = null;
  readonly recorder: Recorder;
  readonly saved: SavedEvent[] = [];
  readonly undecided: Trip["undecided"] = [];
  private readonly dependencies: Dependencies;

  constructor(
    private readonly request: PageRequest,
    dependencies: Dependencies,
  ) {
    this.recorder = new Recorder(dependencies.elapsed);
    this.dependencies = { ...dependencies, database: watched(dependencies.database, this.recorder) };
  }

  async outcome(route: MatchedRoute): Promise<Outcome> {
    const { recorder, request } = this;
    switch (route.kind) {
      case "unsound":
        recorder.note("route", [{ name: "page", value: route.name }], "the page file does not fit the table");
        return failed("page-unsound", null);
      case "strayed":
        recorder.note(
          "route",
          [{ name: "page", value: route.page.name }],
          "there is nothing at this address below the page's",
        );
        return notFound("no-such-address", route.page);
      case "method-not-allowed":
        recorder.note("route", [{ name: "method", value: request.method }], `the address takes ${route.allow}`);
        return refused("method-not-allowed", route.page, {
          allow: route.allow,
          because: word(route.page.language, request.method === "PUT" ? "takes-no-put" : "takes-methods", {
            methods: route.allow,
          }),
        });
      case "options":
        recorder.note("route", [{ name: "method", value: request.method }]);
        return { kind: "shown", view: { what: "methods", allow: route.allow } };
      case "moved":
        recorder.note("route", [{ name: "page", value: route.page.name }], "a slash too many at the end");
        return { kind: "shown", view: { what: "better-address", to: `${route.to}${queryText(request.query)}` } };
      case "page":
        return this.beyondRoute(route.page, route.operation, route.keySegments);
    }
  }

  private async beyondRoute(page: Page, operation: Operation, segments: readonly string[]): Promise<Outcome> {
    this.recorder.hide(sensitiveColumns(page));
    this.recorder.note("route", [
      { name: "page", value: page.name },
      { name: "operation", value: operation },
    ]);
    try {
      return await this.beyondKey(page, operation, segments);
    } catch (error) {
      if (error instanceof OwnCodeFailed) {
        this.recorder.failures.push(error);
        this.recorder.note(isSaving(operation) ? "check" : "load", [], error.message);
        return failed("own-step-failed", page);
      }
      if (error instanceof ConditionTooLong) {
        this.recorder.note("access", [], error.message);
        return refused("condition-too-long", page);
      }
      if (this.isKeyRefused(operation, error)) return this.malformedKey(page, (error as Error).message);
      const unavailability = unavailabilityOf(error);
      if (!unavailability && !isRefusal(error)) throw error;
      const said = (error as Error).message;
      this.recorder.note(isSaving(operation) ? "write" : "load", [], saidOf(error as Error));
      if (unavailability)
        return failed(unavailability.code, page, {
          because: unavailability.code === "database-trouble" ? message(page.language, unavailability.message) : null,
        });
      const isUnreadable = isRefusedAs(error, "unreadable text");
      return failed(isUnreadable ? "unreadable-text" : "database-refuses", page, { because: said });
    }
  }

  private async beyondKey(page: Page, operation: Operation, segments: readonly string[]): Promise<Outcome> {
    if (operations[operation].keyed) {
      const read = readKey(page, segments);
      if (!read.ok) return this.malformedKey(page, read.reason, segments);
      this.key = read.key;
      const better = isWrittenAlike(page) ? this.betterAddress(segments, read.key) : null;
      if (better !== null) return { kind: "shown", view: { what: "better-address", to: better } };
      this.recorder.note(
        "key",
        page.key.map((column, index) => ({
          name: column.name,
          value: read.key[index] ?? null,
          note: column.type.shown,
        })),
      );
    }
    const entered = this.access(page, operation);
    if ("kind" in entered) return entered;
    const { request, recorder } = this;
    const trace = request.trace === undefined ? {} : { trace: request.trace };
    const told = { actor: entered.actor.id, page: page.name, request: request.id, ...trace };
    const dependencies = { ...this.dependencies, database: telling(this.dependencies.database, told) };
    // A form is sent to where it was opened.
    if (operations[operation].keyed && operations[operation].way === "open" && !isWrittenAlike(page)) {
      const stored = await this.storedKey({ page, key: this.key ?? [], facts: entered, dependencies });
      const better = this.betterAddress(segments, stored);
      if (better !== null) return { kind: "shown", view: { what: "better-address", to: better } };
      this.key = stored;
    }
    const trip: Trip = {
      page,
      key: this.key ?? [],
      request,
      facts: entered,
      recorder,
      saved: this.saved,
      undecided: this.undecided,
      dependencies,
    };
    const isForm = request.body !== null && "text" in request.body;
    const api = request.api && !isForm ? apiRuns[operation] : undefined;
    if (api) {
      const { body } = request;
      if (body && "refused" in body) {
        recorder.note("read", [], body.refused);
        return refused(body.refused, page);
      }
      const outcome = await api(trip);
      if (outcome.kind === "saved" || outcome.kind === "unchanged") this.key ??= outcome.key;
      return outcome;
    }
    const run = runs[operation];
    if (run.takes === "segments") return run.run(trip, segments);
    if (run.takes === "nothing") return withBeside(trip, await run.run(trip));
    const { body } = request;
    if (!body || !("text" in body)) {
      const code = body && "refused" in body ? body.refused : "wrong-content-type";
      recorder.note("read", [], code);
      return refused(code, page);
    }
    const outcome = await run.run(trip, body.text);
    // A new record has its key from here on.
    if (outcome.kind === "saved" || outcome.kind === "unchanged") this.key ??= outcome.key;
    return withBeside(trip, outcome);
  }

  /**
   * A key of a type that only PostgreSQL can judge (inet, a range) is refused by the first statement that asks for it. Bytes that
   * are no text in this connection's encoding are the row's matter, not the key's.
   */
  private isKeyRefused(operation: Operation, error: unknown): boolean {
    return operations[operation].keyed && isRefusedAs(error, "bad value") && !error.inside;
  }

  private malformedKey(page: Page, reason: string, segments: readonly string[] = this.key ?? []): Outcome {
    this.recorder.note("key", [{ name: "typed", value: segments.join("/") }], reason);
    return refused("malformed-key", page);
  }

  /** The key as it is stored, by which the log and all who look at the record know it; the one of the address where there is no such record. */
  private async storedKey(asking: Parameters<typeof load>[0]): Promise<readonly string[]> {
    const found = await load(asking);
    return asking.page.key.map(({ name }, index) => found?.row[name] ?? asking.key[index] ?? "");
  }

  /** The one address of a record whose key is written in another way in this one: `/rivers/01`. Null where it is written as it should be. */
  private betterAddress(segments: readonly string[], key: readonly string[]): string | null {
    const { method, path, query } = this.request;
    const [typed, right] = [segments.join("/"), key.map(encodeSegment).join("/")];
    const isSame = segments.every((segment, index) => decodeSegment(segment) === key[index]);
    if (isSame || (method !== "GET" && method !== "HEAD")) return null;
    const at = path.lastIndexOf(typed);
    return at < 0 ? null : `${path.slice(0, at)}${right}${path.slice(at + typed.length)}${queryText(query)}`;
  }

  /** Whether it is about a record that is still to be made. */
  private isNew(operation: Operation): boolean {
    return operation === "new" || operation === "create";
  }

  /** The facts that conditions are asked about, or the refusal of a person who may not open the page. */
  private access(page: Page, operation: Operation): Facts | Refusal {
    const { actor, at } = this.request;
    if (!actor) {
      this.recorder.note("access", [], "nobody is signed in");
      const { body } = this.request;
      if (!isSaving(operation) || !body || !("text" in body)) return refused("signed-out", page);
      const files = new Map([...(body.files ?? [])].map(([name, file]) => [name, file.name]));
      return refused("signed-out-form", page, { carried: body.text, files });
    }
    const facts = factsOf(actor, at);
    const opens = mayOpen(page, facts);
    const values = [
      { name: "actor", value: actor.name, note: actor.roles.join(", ") },
      { name: "open", value: page.access.open?.source ?? "everybody who is signed in", note: String(opens) },
      ...(page.access.rows ? [{ name: "rows", value: page.access.rows.source, note: "in every WHERE" }] : []),
      ...(page.access.edit ? [{ name: "edit", value: page.access.edit.source, note: "in the save's WHERE" }] : []),
    ];
    if (opens !== true) {
      this.recorder.note("access", values, "the open condition does not hold");
      return refused("may-not-open", page);
    }
    if (this.isNew(operation) && page.stopped.includes("new")) {
      this.recorder.note("access", values, "the table or the rights on it let no new record be made");
      return refused("new-stopped", page);
    }
    if (this.isNew(operation) && !mayMake(page, facts)) {
      const asked = { name: "new", value: page.access.new?.source ?? null, note: "false" };
      this.recorder.note("access", [...values, asked], "the new condition does not hold");
      return refused("may-not-make", page);
    }
    this.recorder.note("access", values);
    return facts;
  }
}

const operationOf = (matched: MatchedRoute, method: string): Operation =>
  matched.kind === "page" ? matched.operation : /^(POST|PATCH|DELETE)$/.test(method) ? "save" : "open";

const withoutCookies = (headers: Readonly<Record<string, string>>): Readonly<Record<string, string>> =>
  "set-cookie" in headers ? { ...headers, "set-cookie": notKept } : headers;

/** An answer without the token by which the person's session is ended. */
const withoutToken = (body: string, token: string | undefined): string =>
  token ? body.replaceAll(token, notKept) : body;

/** The names of a page's sensitive fields: their columns' and their controls'. */
const sensitiveNames = memoizePerPage(
  (page): ReadonlySet<string> =>
    new Set(page.fields.flatMap(({ column, formName }) => (column.sensitive ? [column.name, formName] : []))),
);
const none: ReadonlySet<string> = new Set();

/** What was sent, without what was typed into sensitive fields. */
function sentBody(body: PageRequest["body"], page: Page | null): string | null {
  if (!body || "refused" in body) return null;
  const hidden = page ? sensitiveNames(page) : none;
  if ("json" in body) {
    return (
      JSON.stringify(body.json, (name, value: unknown) => (hidden.has(name) && value !== null ? notKept : value)) ??
      null
    );
  }
  if (hidden.size === 0) return body.text;
  return body.text
    .split("&")
    .map((pair) => {
      const [name = "", value] = pair.split("=", 2);
      return value && isHiddenName(name, hidden) ? `${name}=${encodeURIComponent(notKept)}` : pair;
    })
    .join("&");
}

/** A control of a row has the row's number before its name. A name that can't be read is nobody's. */
function isHiddenName(sent: string, hidden: ReadonlySet<string>): boolean {
  try {
    const name = decodeURIComponent(sent.replaceAll("+", " "));
    return hidden.has(name) || hidden.has(name.slice(name.indexOf(":") + 1));
  } catch {
    return false;
  }
}

/** The answer of an outcome; where a control of the developer's own fails in it, one that goes without. */
function answered(
  outcome: Outcome,
  matched: MatchedRoute,
  recorder: Recorder,
  { request, signer }: { readonly request: PageRequest; readonly signer: Dependencies["signer"] },
): { readonly outcome: Outcome; readonly response: PageResponse } {
  try {
    return { outcome, response: answer(outcome, request, signer) };
  } catch (error) {
    if (!(error instanceof OwnCodeFailed)) throw error;
    recorder.failures.push(error);
    recorder.note(isSaving(operationOf(matched, request.method)) ? "answer" : "prefill", [], error.message);
    // What is saved is saved: the list is asked for anew.
    const other: Outcome =
      outcome.kind === "saved" || outcome.kind === "unchanged"
        ? { ...outcome, list: null }
        : failed("own-step-failed", matched.kind === "unsound" ? null : matched.page);
    return { outcome: other, response: answer(other, request, signer) };
  }
}

/**
 * Takes one request through the round trip.
 *
 * @param matched where its address leads, as `route` found it
 * @returns the answer and its record; rejects only for a bug, never for what a person sent or for a database that is away
 */
export async function handle(
  matched: MatchedRoute,
  request: PageRequest,
  dependencies: Dependencies,
): Promise<Handled> {
  const trip = new RoundTrip(request, dependencies);
  const { outcome, response } = answered(await trip.outcome(matched), matched, trip.recorder, {
    request,
    signer: dependencies.signer,
  });
  const operation = operationOf(matched, request.method);
  if (isSaving(operation) && (outcome.kind === "saved" || outcome.kind === "unchanged")) {
    trip.recorder.note("answer", [
      { name: "status", value: String(response.status) },
      { name: "location", value: response.headers.location ?? null },
    ]);
  }
  const { actor } = request;
  const recorded: RecordedRequest = {
    id: request.id,
    at: request.at.toISOString(),
    operation,
    method: request.method,
    path: request.path,
    page: matched.kind === "unsound" ? matched.name : matched.page.name,
    actor: actor && { id: actor.id, name: actor.name },
    key: trip.key,
    outcome: outcome.kind,
    status: response.status,
    ms: trip.recorder.total(),
    steps: trip.recorder.kept(),
    ...(request.trace === undefined ? {} : { trace: request.trace }),
    wire: {
      query: request.query,
      headers: {},
      body: sentBody(request.body, matched.kind === "unsound" ? null : matched.page),
      answer: {
        headers: withoutCookies(response.headers),
        body: response.parts ? null : withoutToken(trip.recorder.covered(response.body), request.frame.signOut?.token),
      },
    },
  };
  const { saved, undecided } = trip;
  const view = outcome.kind === "saved" || outcome.kind === "unchanged" ? null : outcome.view;
  return { response, view, recorded, saved, undecided, failures: trip.recorder.failures };
}
