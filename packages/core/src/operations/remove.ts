import { message, word } from "../messages/messages.js";
import { listQuery } from "../page/list-query.js";
import { refusalKind } from "../postgres/refusal.js";
import type { Row } from "../postgres/statement.js";
import { isInDoubt, isRefusal } from "../postgres/unavailable.js";
import { dependentsStatement, mostCounted, removeStatement } from "../statements/remove.js";
import { mayDelete } from "../steps/access.js";
import { load, type StoredRecord } from "../steps/load.js";
import { completeOffers, loadLists } from "../steps/offer.js";
import { prefillFields, titleOf } from "../steps/prefill.js";
import type { Submission } from "../steps/read.js";
import { writeToken } from "../steps/token.js";
import { OwnRefusal, ownFailure, sendWrite } from "../steps/write.js";
import { failed, notFound, type Outcome, type Refusal, refused } from "../trip/outcome.js";
import { logNoteOf, type Trip } from "../trip/trip.js";
import type { DependentCount, RemovalView } from "../views/removal-view.js";
import { whatBecame } from "./doubt.js";
import { claimsFor, readForm } from "./form.js";
import { missing } from "./missing.js";
import { noteFailure, Own } from "./own.js";

/** What hangs on the record: counted where it can be read, named where it can't. */
async function dependentPaths({ page, key, dependencies }: Trip): Promise<readonly DependentCount[]> {
  const readable = page.dependents.some((way) => way.links.every((link) => link.readable));
  const counts = readable ? await dependencies.database.run(dependentsStatement(page, key)) : [];
  return page.dependents.flatMap((way, index): DependentCount[] => {
    const last = way.links.at(-1);
    if (!last) return [];
    const effect = last.onDelete === "no action" ? "restrict" : last.onDelete;
    const found = counts.find((row) => row.way === String(index));
    if (found) {
      const count = Number(found.count);
      return [
        {
          table: last.table,
          columns: last.columns,
          effect,
          count: Math.min(count, mostCounted),
          more: count > mostCounted,
        },
      ];
    }
    return way.links.every((link) => link.readable)
      ? []
      : [{ table: last.table, columns: last.columns, effect, count: null, more: false }];
  });
}

async function viewOf(trip: Trip, record: StoredRecord, said: string | null): Promise<RemovalView> {
  const { page, key, dependencies } = trip;
  const shown = new Map(Object.entries(record.row).map(([name, value]) => [name, [value]]));
  const [dependents, lists] = await Promise.all([dependentPaths(trip), loadLists(trip)]);
  const offers = await completeOffers(trip, lists, record.row, shown, null);
  return {
    page,
    key,
    title: titleOf(page, record.row, key),
    kept: listQuery(page, trip.request.query),
    fields: prefillFields(trip, "edit", record.row, offers),
    dependents,
    said,
    token: writeToken(claimsFor(trip, "delete", record), dependencies.signer),
  };
}

async function loaded(trip: Trip): Promise<StoredRecord | Refusal> {
  const { page, facts } = trip;
  const record = await load(trip);
  if (!record) return missing(trip);
  if (mayDelete(page, record.row, facts)) return record;
  trip.recorder.note("load", [], `delete: ${page.access.delete?.source ?? ""}`);
  return refused("may-not-delete", page, { because: page.access.because });
}

/** Asks before a record is deleted: shows what will go and what hangs on it. */
export async function confirm(trip: Trip): Promise<Outcome> {
  const record = await loaded(trip);
  if ("kind" in record) return record;
  const removal = await viewOf(trip, record, null);
  trip.recorder.note(
    "load",
    Object.entries(record.row).map(([name, value]) => ({ name, value })),
  );
  const dependents = removal.dependents.map(({ table, count, effect }) => ({
    name: table,
    value: count === null ? null : String(count),
    note: effect,
  }));
  trip.recorder.note("prefill", dependents);
  return { kind: "shown", view: { what: "removal", removal } };
}

/** Deletes the record as it was shown when it was confirmed; one that was changed since is shown again first. */
export async function remove(trip: Trip, body: string): Promise<Outcome> {
  const submission = readForm(trip, "delete", body);
  return "kind" in submission ? submission : removeRead(trip, submission);
}

/** The same for a form that was read already. */
export async function removeRead(
  trip: Trip,
  { claims, stale }: Pick<Submission, "claims" | "stale">,
): Promise<Outcome> {
  const { page, key, facts, recorder, dependencies } = trip;
  recorder.note("read", [{ name: "row version", value: claims.row }]);
  const statement = removeStatement(page, key, claims.row, facts, logNoteOf(trip));
  const again = async (said: string): Promise<Outcome> => {
    recorder.note("write", [], said);
    const record = await loaded(trip);
    if ("kind" in record) return record.kind === "not-found" ? notFound("record-gone", page) : record;
    return { kind: "conflict", view: { what: "removal", removal: await viewOf(trip, record, said) } };
  };
  if (stale) return again(message(page.language, `stale-${stale}`));
  const own = Own.of(trip, "delete");
  try {
    const stored = own?.asksForRow ? ((await load(trip))?.row ?? null) : null;
    const problems = (await own?.check([], stored)) ?? [];
    if (problems.length > 0) return await again(problems.map((problem) => problem.message).join(" "));
    const [row] = await sendWrite(dependencies.database, statement, own?.within([], stored));
    if (!row?.row) {
      return await again(word(page.language, row ? "delete-kept" : "delete-changed"));
    }
    own?.saved([row]);
    recorder.note("write", [
      { name: "deleted", value: key.join(", ") },
      { name: "log entry", value: row.entry ?? null },
    ]);
    return { kind: "saved", page, key, row: JSON.parse(row.row) as Row, changes: [], what: "deleted" };
  } catch (error) {
    const failure = ownFailure(trip, error);
    if (failure) {
      noteFailure(recorder, failure);
      return failed("own-step-failed", page);
    }
    if (error instanceof OwnRefusal) return again(error.message);
    if (isInDoubt(error)) return afterDoubt(trip, own);
    if (!isRefusal(error)) throw error;
    const hangs = refusalKind(error) === "foreign key";
    return again(
      hangs ? word(page.language, "delete-refers") : word(page.language, "delete-refused", { said: error.message }),
    );
  }
}

/** The answer of the statement that deletes was lost: the log is asked what became of it. */
async function afterDoubt(trip: Trip, own: Own | null): Promise<Outcome> {
  const { page, key, request, recorder } = trip;
  const became = await whatBecame(trip, request.id);
  recorder.note("write", [], `the connection was lost; the log says: ${became.kind}`);
  if (became.kind === "nothing") return failed("database-away", page);
  if (became.kind === "unknown") return failed("delete-in-doubt", page);
  const row = Object.fromEntries(became.changes.map(({ field, old }) => [field, old]));
  own?.saved([{ entry: became.entry, changes: JSON.stringify(became.changes), row: JSON.stringify(row) }]);
  return { kind: "saved", page, key, row, changes: [], what: "deleted" };
}
