import type { Facts } from "../condition/evaluate.js";
import type { Page } from "../page/page.js";
import { type Database, DatabaseRefusal } from "../postgres/statement.js";
import { isRefusal, unavailabilityOf } from "../postgres/unavailable.js";
import { mayMake, mayOpen } from "../steps/access.js";
import { answer } from "../steps/answer.js";
import { readKey } from "../steps/key.js";
import type { MatchedRoute } from "../steps/route.js";
import type { Outcome } from "../trip/outcome.js";
import { type RecordedRequest, Recorder } from "../trip/recording.js";
import type { Dependencies, PageRequest, PageResponse } from "../trip/request.js";
import { isSaving, type Operation } from "../trip/round-trip.js";
import type { Trip } from "../trip/trip.js";
import { choices } from "./choices.js";
import { create, openNew } from "./create.js";
import { judge } from "./judge.js";
import { list } from "./list.js";
import { open, view } from "./open.js";
import { confirm, remove } from "./remove.js";
import { save } from "./save.js";

/** An answer with the record of how it came about. */
export interface Handled {
  readonly response: PageResponse;
  readonly recorded: RecordedRequest;
}

/** The database, with every statement remembered by the recorder. */
const watched = (database: Database, recorder: Recorder): Database => ({
  transaction: (run, purpose) => database.transaction((inside) => run(watched(inside, recorder)), purpose),
  async run(statement) {
    try {
      const rows = await database.run(statement);
      recorder.statement(statement, rows.length);
      return rows;
    } catch (error) {
      recorder.statement(statement, 0);
      throw error;
    }
  },
});

class RoundTrip {
  key: readonly string[] | null = null;
  readonly recorder: Recorder;
  private readonly dependencies: Dependencies;

  constructor(
    private readonly request: PageRequest,
    dependencies: Dependencies,
  ) {
    this.recorder = new Recorder(dependencies.elapsed);
    this.dependencies = { ...dependencies, database: watched(dependencies.database, this.recorder) };
  }

  async outcome(route: MatchedRoute): Promise<Outcome> {
    if (route.kind === "unsound") {
      this.recorder.note("route", [{ name: "page", value: route.name }], "the page file does not fit the table");
      return { kind: "failed", code: "page-unsound", page: null, because: null };
    }
    if (route.kind === "method-not-allowed") {
      this.recorder.note("route", [{ name: "method", value: this.request.method }], `the address takes ${route.allow}`);
      return { kind: "refused", code: "method-not-allowed", page: route.page, because: null, allow: route.allow };
    }
    if (route.kind === "options") {
      this.recorder.note("route", [{ name: "method", value: this.request.method }]);
      return { kind: "shown", allow: route.allow };
    }
    if (route.kind === "moved") {
      this.recorder.note("route", [{ name: "page", value: route.page.name }], "a slash too many at the end");
      return { kind: "shown", moved: route.to };
    }
    const { page, operation } = route;
    this.recorder.note("route", [
      { name: "page", value: page.name },
      { name: "operation", value: operation },
    ]);
    try {
      return await this.beyondRoute(page, operation, route.keySegments);
    } catch (error) {
      if (this.isKeyRefused(operation, error)) return this.malformedKey(page, (error as Error).message);
      const unavailability = unavailabilityOf(error);
      if (!unavailability && !isRefusal(error)) throw error;
      const said = (error as Error).message;
      this.recorder.note(isSaving(operation) ? "write" : "load", [], said);
      if (unavailability) return { kind: "failed", code: unavailability.code, page, because: null };
      return {
        kind: "failed",
        code: isUnreadable(error) ? "unreadable-text" : "database-refuses",
        page,
        because: said,
      };
    }
  }

  private async beyondRoute(page: Page, operation: Operation, segments: readonly string[]): Promise<Outcome> {
    if (isKeyed(operation) && (operation !== "judge" || segments.length > 0)) {
      const read = readKey(page, segments);
      if (!read.ok) {
        return this.malformedKey(page, read.reason, segments);
      }
      this.key = read.key;
      this.recorder.note(
        "key",
        page.key.map((column, index) => ({
          name: column.name,
          value: read.key[index] ?? null,
          note: column.type.shown,
        })),
      );
    }
    const facts = this.access(page, operation, operation === "judge" && this.key === null);
    if ("kind" in facts) return facts;
    const { request, recorder, dependencies } = this;
    const trip: Trip = { page, key: this.key ?? [], request, facts, recorder, dependencies };
    switch (operation) {
      case "list":
        return list(trip);
      case "view":
        return view(trip);
      case "open":
        return open(trip);
      case "new":
        return openNew(trip);
      case "confirm":
        return confirm(trip);
      case "choices":
        return choices(trip, segments);
      case "judge":
        return this.withBody(page, (body) => judge(trip, body));
      case "save":
        return this.withBody(page, (body) => save(trip, body));
      case "create":
        return this.withBody(page, async (body) => {
          const outcome = await create(trip, body);
          if (outcome.kind === "saved" || outcome.kind === "unchanged") this.key = outcome.key;
          return outcome;
        });
      case "delete":
        return this.withBody(page, (body) => remove(trip, body));
    }
  }

  private async withBody(page: Page, run: (body: string) => Promise<Outcome>): Promise<Outcome> {
    const { body } = this.request;
    if (body && "text" in body) return run(body.text);
    const code = body?.refused ?? "wrong-content-type";
    this.recorder.note("read", [], code);
    return { kind: "refused", code, page, because: null };
  }

  /**
   * A key of a type that only PostgreSQL can judge (inet, a range) is refused by the first statement that asks for it. Bytes that
   * are no text in this connection's encoding are the row's matter, not the key's.
   */
  private isKeyRefused(operation: Operation, error: unknown): boolean {
    return (
      isKeyed(operation) && isRefusal(error) && error.sqlState.startsWith("22") && !error.inside && !isUnreadable(error)
    );
  }

  private malformedKey(page: Page, reason: string, segments: readonly string[] = this.key ?? []): Outcome {
    this.recorder.note("key", [{ name: "typed", value: segments.join("/") }], reason);
    return { kind: "refused", code: "malformed-key", page, because: null };
  }

  /** The facts that conditions are asked about, or the refusal of a person who may not open the page. */
  private access(page: Page, operation: Operation, isNew: boolean): Facts | Outcome {
    const { actor, at } = this.request;
    if (!actor) {
      this.recorder.note("access", [], "nobody is signed in");
      const { body } = this.request;
      const carried = isSaving(operation) && body && "text" in body ? body.text : undefined;
      if (carried === undefined) return { kind: "refused", code: "signed-out", page, because: null };
      return { kind: "refused", code: "signed-out-form", page, because: null, carried };
    }
    const facts = { actor, now: at, row: {}, form: {} };
    const opens = mayOpen(page, facts);
    const values = [
      { name: "actor", value: actor.name, note: actor.roles.join(", ") },
      { name: "open", value: page.access.open?.source ?? "everybody who is signed in", note: String(opens) },
      ...(page.access.rows ? [{ name: "rows", value: page.access.rows.source, note: "in every WHERE" }] : []),
      ...(page.access.edit ? [{ name: "edit", value: page.access.edit.source, note: "in the save's WHERE" }] : []),
    ];
    if (opens !== true) {
      this.recorder.note("access", values, "the open condition does not hold");
      return { kind: "refused", code: "may-not-open", page, because: null };
    }
    if ((isNew || operation === "new" || operation === "create") && !mayMake(page, facts)) {
      const asked = { name: "new", value: page.access.new?.source ?? null, note: "false" };
      this.recorder.note("access", [...values, asked], "the new condition does not hold");
      return { kind: "refused", code: "may-not-make", page, because: null };
    }
    this.recorder.note("access", values);
    return facts;
  }
}

/** Bytes that are no text in the encoding of the database or the connection (SQLSTATE 22021, 22P05), as a database in SQL_ASCII holds. */
const isUnreadable = (error: unknown): boolean =>
  error instanceof DatabaseRefusal && ["22021", "22P05"].includes(error.sqlState);

const operationOf = (matched: MatchedRoute, method: string): Operation =>
  matched.kind === "page" ? matched.operation : method === "POST" ? "save" : "open";

/** Whether an operation is about one record, named by the key in the address. */
const isKeyed = (operation: Operation): boolean => !["list", "new", "create", "choices"].includes(operation);

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
  const outcome = await trip.outcome(matched);
  const response = answer(outcome, request, dependencies.signer);
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
    steps: trip.recorder.steps,
  };
  return { response, recorded };
}
