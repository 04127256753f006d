import { listQuery } from "../page/list-query.js";
import { recordAddress } from "../settings/bound/path.js";
import { mayDelete, mayMake, maySeeHistory } from "../steps/access.js";
import { readSaid } from "../steps/answer.js";
import { loadForForm, type StoredRecord } from "../steps/load.js";
import { titleOf } from "../steps/prefill.js";
import { type Outcome, type Refusal, shown } from "../trip/outcome.js";
import type { Trip } from "../trip/trip.js";
import type { Offers } from "../views/form-view.js";
import { saveText } from "../views/own-text.js";
import { plainly, type Said } from "../views/said.js";
import { freshForm, lockedBecause, makeForm } from "./form.js";
import { oldTexts } from "./history.js";
import { missing } from "./missing.js";
import { relatedLists } from "./related.js";

/** Loads the record and the lists of its form together; the outcome where there is no such record for the actor. */
async function loadAll(trip: Trip): Promise<{ record: StoredRecord; lists: Offers } | Refusal> {
  const { recorder } = trip;
  const found = await loadForForm(trip);
  if (!found) return missing(trip);
  const values = Object.entries(found.record.row).map(([name, value]) => ({ name, value }));
  recorder.note("load", values);
  return found;
}

/** The line that an earlier answer has left for this form: where several stand in one view, the one that names it. */
export function saidHere({ request, dependencies }: Trip, address: string): Said | null {
  const said = readSaid(request, dependencies.signer);
  return said && request.saidAt !== undefined && said.address !== `${request.frame.base}${address}` ? null : said;
}

/** The OPEN half from Load on: Load → Prefill. Route, Key and Access are behind it. */
export async function open(trip: Trip): Promise<Outcome> {
  const { page, facts, recorder } = trip;
  const loaded = await loadAll(trip);
  if ("kind" in loaded) return loaded;
  const { record, lists } = loaded;
  const locked = lockedBecause(page, record, facts);
  const notice = saidHere(trip, recordAddress(page.path, trip.key));
  const old = locked === null ? await oldTexts(trip, record.row) : null;
  const undoes = old?.before ? { ...record, undoes: old.before.id } : record;
  const state = { ...freshForm(trip, "edit", undoes), locked, notice };
  const given = old && {
    ...(old.before ? { typed: old.before.texts } : {}),
    notice: plainly(old.says(saveText({ page, row: record.row, key: trip.key }, "edit"))),
  };
  const form = await makeForm(trip, "edit", { ...state, ...given }, lists);
  const values = form.fields.map(({ field, control, text }) => ({
    name: field.column.name,
    value: text,
    note: field.readOnly || locked ? "shown only" : control,
  }));
  recorder.note("prefill", locked ? [...values, { name: "locked", value: locked }] : values);
  return shown(form);
}

/** The record as it now is, without a form. */
export async function view(trip: Trip): Promise<Outcome> {
  const { page, key, facts, recorder, request } = trip;
  const loaded = await loadAll(trip);
  if ("kind" in loaded) return loaded;
  const { record, lists } = loaded;
  const { fields } = await makeForm(trip, "edit", freshForm(trip, "edit", record), lists);
  recorder.note(
    "prefill",
    fields.map(({ field, text }) => ({ name: field.column.name, value: text, note: "shown only" })),
  );
  const said = readSaid(request, trip.dependencies.signer);
  return {
    kind: "shown",
    view: {
      what: "record",
      record: {
        page,
        key,
        title: titleOf(page, record.row, key),
        kept: listQuery(page, request.query),
        fields,
        row: record.row,
        version: record.version,
        locked: lockedBecause(page, record, facts),
        removable: mayDelete(page, record.row, facts),
        makes: mayMake(page, facts),
        related: request.api ? [] : await relatedLists(trip, record.row),
        history: maySeeHistory(page, record.row, facts),
        notice: said,
      },
    },
  };
}
