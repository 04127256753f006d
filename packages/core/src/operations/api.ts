import type { Json } from "../json/value.js";
import { load, type StoredRecord } from "../steps/load.js";
import { readJson } from "../steps/read-json.js";
import { invalid, type Outcome, refused } from "../trip/outcome.js";
import type { Operation } from "../trip/round-trip.js";
import type { Trip } from "../trip/trip.js";
import type { Problem } from "../views/form-view.js";
import { createRead } from "./create.js";
import { claimsFor, freshForm, lockedBecause, makeForm } from "./form.js";
import { missing } from "./missing.js";
import { defaults } from "./new.js";
import { view } from "./open.js";
import { removeRead } from "./remove.js";
import { saveRead } from "./save.js";
import { stoppedBy } from "./save-kind.js";
import { noteStops } from "./save-notes.js";

/** The versions that an If-Match names (RFC 9110, 13.1.1): the part of each strong tag before its dot; null for any. */
function versionsIn(ifMatch: string): readonly string[] | null {
  if (ifMatch.trim() === "*") return null;
  return [...ifMatch.matchAll(/(W\/)?"([^"]*)"/g)].flatMap(([, weak, tag]) =>
    weak ? [] : [(tag ?? "").split(".")[0] ?? ""],
  );
}

/** The record that a request means to change, as it was when its tag was read; or why it is not. */
async function meant(trip: Trip): Promise<StoredRecord | Outcome> {
  const { page, request, recorder } = trip;
  const ifMatch = request.api?.ifMatch ?? null;
  if (ifMatch === null) {
    recorder.note("read", [], "If-Match is missing");
    return refused("needs-if-match", page);
  }
  const record = await load(trip);
  if (!record) return missing(trip);
  const versions = versionsIn(ifMatch);
  if (versions === null || versions.includes(record.version)) return record;
  recorder.note("read", [{ name: "If-Match", value: ifMatch }], "the record is of another version");
  return refused("changed-since", page);
}

/** What was sent, where it is an object. */
const membersOf = ({ request }: Trip): Readonly<Record<string, Json>> | null => {
  const sent = request.body && "json" in request.body ? request.body.json : undefined;
  return typeof sent === "object" && sent !== null && !Array.isArray(sent)
    ? (sent as Readonly<Record<string, Json>>)
    : null;
};

/** How members are taken. */
const wayOf = ({ request: { asIs, body } }: Trip) => ({ asIs, raw: body && "json" in body ? body.raw : undefined });

const broken = ({ page, recorder }: Trip): Outcome => {
  recorder.note("read", [], "the body is no JSON object");
  return refused("json-broken", page);
};

/** What is wrong with members, as the form would say it. */
async function wrongMembers(
  trip: Trip,
  form: "edit" | "new",
  record: StoredRecord,
  problems: readonly Problem[],
): Promise<Outcome> {
  const { submission } = readJson(trip.page, {}, { claims: claimsFor(trip, form, record), stored: record.row });
  noteStops(trip.recorder, "check", [stoppedBy({ trip, submission }, problems)], { all: 1 });
  return invalid(await makeForm(trip, form, { ...freshForm(trip, form, record), problems }));
}

/** A saved record is answered as it is stored now, unless less was preferred. */
async function withRecord(trip: Trip, outcome: Outcome): Promise<Outcome> {
  if (outcome.kind !== "saved" && outcome.kind !== "unchanged") return outcome;
  if (trip.request.api?.minimal) return outcome;
  const quiet = { ...trip, key: outcome.key };
  const seen = await view(quiet);
  return seen.kind === "shown" && seen.view.what === "record" ? { ...outcome, record: seen.view.record } : outcome;
}

async function change(trip: Trip): Promise<Outcome> {
  const record = await meant(trip);
  if ("kind" in record) return record;
  const members = membersOf(trip);
  if (!members) return broken(trip);
  const locked = lockedBecause(trip.page, record, trip.facts);
  if (locked !== null) return refused("may-not-edit", trip.page, { because: locked });
  const { submission, strays } = readJson(
    trip.page,
    members,
    { claims: claimsFor(trip, "edit", record), stored: record.row },
    wayOf(trip),
  );
  if (strays.length > 0) return wrongMembers(trip, "edit", record, strays);
  return withRecord(trip, await saveRead(trip, submission));
}

async function create(trip: Trip): Promise<Outcome> {
  const members = membersOf(trip);
  if (!members) return broken(trip);
  const record = await defaults(trip);
  const { submission, strays } = readJson(
    trip.page,
    members,
    { claims: claimsFor(trip, "new", record), stored: record.row },
    wayOf(trip),
  );
  if (strays.length > 0) return wrongMembers(trip, "new", record, strays);
  return withRecord(trip, await createRead(trip, submission));
}

async function remove(trip: Trip): Promise<Outcome> {
  const record = await meant(trip);
  if ("kind" in record) return record;
  return removeRead(
    trip,
    readJson(trip.page, {}, { claims: claimsFor(trip, "delete", record), stored: record.row }).submission,
  );
}

/** What operations do otherwise where JSON is spoken: they take objects instead of forms, and versions instead of tokens. */
export const apiRuns: Partial<Record<Operation, (trip: Trip) => Promise<Outcome>>> = {
  open: view,
  save: change,
  create,
  delete: remove,
};
