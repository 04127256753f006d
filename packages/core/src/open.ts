import type { Facts } from "./condition/evaluate.js";
import { word } from "./messages/messages.js";
import type { Outcome } from "./outcome.js";
import type { Page } from "./page/page.js";
import type { Recorder } from "./recording.js";
import type { PageRequest, Surroundings } from "./request.js";
import { mayEdit } from "./steps/access.js";
import { readSaid } from "./steps/answer.js";
import { exists, load, loadOptions, type Record } from "./steps/load.js";
import { type FormView, prefillFields, shownDigests, titleOf } from "./steps/prefill.js";
import { type Claims, writeToken } from "./steps/token.js";

/** Why the record's form is locked, or null. */
export const lockedBecause = (page: Page, record: Record, facts: Facts): string | null =>
  mayEdit(page, record.row, facts) ? null : (page.access.because ?? word(page.language, "locked"));

/** What a form made now for this record remembers. */
export const claimsFor = (
  page: Page,
  key: readonly string[],
  record: Record,
  request: PageRequest,
  facts: Facts,
  { signer }: Surroundings,
): Claims => ({
  page: page.name,
  version: page.version,
  key: [...key],
  actor: facts.actor.id,
  session: request.session,
  row: record.version,
  at: facts.now.toISOString(),
  shown: shownDigests(page, record.row, facts, signer),
});

/** The OPEN half from Load on: Load → Prefill. Route, Key and Access are behind it. */
export async function open(
  page: Page,
  key: readonly string[],
  request: PageRequest,
  facts: Facts,
  recorder: Recorder,
  surroundings: Surroundings,
): Promise<Outcome> {
  const { database, signer } = surroundings;
  const [record, options] = await Promise.all([load(page, key, facts, database), loadOptions(page, facts, database)]);
  if (!record) {
    const there = await exists(page, key, facts, database);
    const reason = there
      ? `the record exists, but not under ${page.access.rows?.source ?? "rows"}`
      : "there is no record with this key";
    recorder.note("load", [], reason);
    return { kind: "not-found", code: "no-such-record", page, because: null };
  }
  recorder.note(
    "load",
    Object.entries(record.row).map(([name, value]) => ({ name, value })),
  );
  const locked = lockedBecause(page, record, facts);
  const claims = claimsFor(page, key, record, request, facts, surroundings);
  const form: FormView = {
    page,
    key,
    title: titleOf(page, record.row, key),
    fields: prefillFields(page, record.row, options, facts),
    token: writeToken(claims, signer),
    problems: [],
    conflicts: [],
    locked,
    notice: page.answer.saved === "page" ? (readSaid(request.said, signer)?.text ?? null) : null,
  };
  const values = form.fields.map(({ field, control, text }) => ({
    name: field.column.name,
    value: text,
    note: field.readOnly || locked ? "shown only" : control,
  }));
  recorder.note("prefill", locked ? [...values, { name: "locked", value: locked }] : values);
  return { kind: "shown", form };
}
