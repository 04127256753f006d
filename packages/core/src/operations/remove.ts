import { message, word } from "../messages/messages.js";
import { listQuery } from "../page/list-query.js";
import { refusalKind } from "../postgres/refusal.js";
import { unavailabilityOf } from "../postgres/unavailable.js";
import { wordsFor } from "../settings/constraints.js";
import { dependentsStatement, mostCounted, removeStatement } from "../statements/remove.js";
import { mayDelete } from "../steps/access.js";
import { load, type StoredRecord } from "../steps/load.js";
import { completeOffers, loadLists } from "../steps/offer.js";
import { prefillFields, titleOf } from "../steps/prefill.js";
import type { Submission } from "../steps/read.js";
import { writeAgain, writeToken } from "../steps/token.js";
import { sendWrite } from "../steps/write.js";
import { notFound, type Outcome, type Refusal, refused } from "../trip/outcome.js";
import { logNoteOf, type Trip } from "../trip/trip.js";
import type { DependentCount, RemovalView } from "../views/removal-view.js";
import { becameOfStored } from "./ending.js";
import { claimsFor, readForm } from "./form.js";
import { missing } from "./missing.js";
import { asProblem, type SaveKind, stoppedBy } from "./save-kind.js";
import { saving } from "./saving.js";

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
  const offers = await completeOffers(trip, lists, shown, { form: () => record.row });
  return {
    page,
    key,
    row: record.row,
    title: titleOf(page, record.row, key),
    kept: listQuery(page, trip.request.query),
    fields: prefillFields(trip, "edit", record, { offers }),
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
  const asking = await viewOf(trip, record, null);
  trip.recorder.note(
    "load",
    Object.entries(record.row).map(([name, value]) => ({ name, value })),
  );
  const dependents = asking.dependents.map(({ table, count, effect }) => ({
    name: table,
    value: count === null ? null : String(count),
    note: effect,
  }));
  trip.recorder.note("prefill", dependents);
  return { kind: "shown", view: removalOf(asking) };
}

/** A record that is deleted: a save without fields. */
const removal: SaveKind = {
  operation: () => "delete",
  asksForRow: (_, own) => own?.asksForRow === true,
  judge: () => ({ fields: [], problems: [] }),
  lockedBecause: ({ page, facts }, record) =>
    mayDelete(page, record.row, facts) ? null : (page.access.because ?? word(page.language, "locked")),
  async write(_, [ready], [own]) {
    if (!ready) return [];
    const { trip, submission } = ready;
    const { dependencies } = trip;
    const statement = removeStatement(trip, submission.claims.row, logNoteOf(trip));
    const [row] = await sendWrite(dependencies.database, statement, own?.within);
    return [row ?? null];
  },
  compare: async (given, record) =>
    stoppedBy(given, [asProblem(word(given.trip.page.language, "delete-changed"))], record, { is: "conflict" }),
  unwritten: async (given, record) =>
    stoppedBy(given, [asProblem(word(given.trip.page.language, "delete-kept"))], record, { is: "conflict" }),
  async refusal({ trip: { page } }, error) {
    const hangs = refusalKind(error) === "foreign key";
    const own = wordsFor(page, error.constraint)?.message;
    const said =
      own ??
      (hangs ? word(page.language, "delete-refers") : word(page.language, "delete-refused", { said: error.message }));
    return { problems: [asProblem(said)], said: `${error.sqlState} ${error.message}` };
  },
  became: becameOfStored,
};

/** Deletes the record as it was shown when it was confirmed; one that was changed since is shown again first. */
export async function remove(trip: Trip, body: string): Promise<Outcome> {
  const submission = readForm(trip, "delete", body);
  return "kind" in submission ? submission : removeRead(trip, submission);
}

/** The same for a form that was read already. */
export async function removeRead(trip: Trip, submission: Submission): Promise<Outcome> {
  const { page, recorder, dependencies } = trip;
  const { claims } = submission;
  recorder.note("read", [{ name: "row version", value: claims.row }]);
  const ending = await saving(removal, trip, [{ trip, submission }]);
  if (ending.is === "failed") {
    const { doubt } = ending;
    const token = doubt === undefined ? submission.token : writeAgain(claims, { doubt }, dependencies.signer);
    return asked(trip, "failed", message(page.language, ending.code), token);
  }
  const [row] = ending.rows;
  if (!row) throw new Error("A deletion ended without its record.");
  if (!("problems" in row)) return { kind: "saved", page, key: row.key, row: row.row, changes: [], what: "deleted" };
  if (row.is === "gone") return notFound("record-gone", page);
  const said = row.problems.map((problem) => problem.message).join(" ");
  return row.is === "locked" ? refused("may-not-delete", page, { because: said }) : asked(trip, "conflict", said);
}

/**
 * What is asked again, upon what is stored now; where the database has gone away, without that.
 *
 * @param token what goes on in the place of a new one
 */
async function asked(trip: Trip, kind: "conflict" | "failed", said: string, token?: string): Promise<Outcome> {
  const removalAs = (removal: RemovalView): RemovalView => (token === undefined ? removal : { ...removal, token });
  try {
    const record = await loaded(trip);
    if (!("kind" in record)) return { kind, view: removalOf(removalAs(await viewOf(trip, record, said))) };
    if (kind === "conflict") return record.kind === "not-found" ? notFound("record-gone", trip.page) : record;
  } catch (error) {
    if (!unavailabilityOf(error)) throw error;
  }
  return { kind: "failed", view: removalOf(removalAlone(trip, said, token ?? "")) };
}

const removalOf = (removal: RemovalView): { what: "removal"; removal: RemovalView } => ({ what: "removal", removal });

/** What is asked where the database can't be. */
const removalAlone = ({ page, key, request }: Trip, said: string, token: string): RemovalView => ({
  page,
  key,
  row: {},
  title: titleOf(page, {}, key),
  kept: listQuery(page, request.query),
  fields: [],
  dependents: [],
  said,
  token,
});
