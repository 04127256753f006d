import type { Facts } from "../condition/facts.js";
import { givenValue } from "../condition/value.js";
import { copyPrefix, withPrefix } from "../page/names.js";
import type { Field, Page } from "../page/page.js";
import type { Row } from "../postgres/statement.js";
import { encodeSegment } from "../settings/bound/path.js";
import { defaultsStatement, shownDefaults } from "../statements/create.js";
import { readKey } from "../steps/key.js";
import { load, type StoredRecord } from "../steps/load.js";
import { type Outcome, shown } from "../trip/outcome.js";
import { Recorder } from "../trip/recording.js";
import type { Trip } from "../trip/trip.js";
import { readValue } from "../values/read-value.js";
import type { FormView } from "../views/form-view.js";
import { freshForm, makeForm } from "./form.js";
import { saidHere } from "./open.js";

/** A new record as the table would make it, by its constant defaults, with what the page, another record and the address give. */
export async function defaults(trip: Trip): Promise<StoredRecord> {
  const { page, facts, request, recorder, dependencies } = trip;
  const columns = shownDefaults(page.table.columns);
  const [row] = columns.length > 0 ? await dependencies.database.run(defaultsStatement(columns)) : [];
  const given = { ...pageDefaults(page, facts), ...(await fromRecord(trip)), ...fromAddress(page, request.query) };
  recorder.note(
    "load",
    Object.entries({ ...row, ...given }).map(([name, value]) => ({
      name,
      value,
      note: Object.hasOwn(given, name) ? "given" : "default of the table",
    })),
  );
  // Without a prototype: a column may be called like something that every object has.
  const begun: Row = Object.assign(Object.create(null), row, given);
  return { row: begun, version: "", given: Object.keys(given) };
}

const takenOnNew = (page: Page): readonly Field[] => page.fields.filter(({ onNew }) => onNew);

/** What the page shows on the form of a new record: `now` as people write it, to the second. */
function pageDefaults(page: Page, facts: Facts): Row {
  const written = { ...facts, now: new Date(Math.floor(facts.now.getTime() / 1000) * 1000) };
  return Object.fromEntries(
    takenOnNew(page).flatMap((field) =>
      field.default ? [[field.column.name, givenValue(field.default, field.column, written, page.timeZone)]] : [],
    ),
  );
}

/** What an address gives: `?with.region_id=2`. What is no value of its column is left out. */
const fromAddress = (page: Page, query: Readonly<Record<string, string>>): Row =>
  Object.fromEntries(
    takenOnNew(page).flatMap(({ column }) => {
      const text = query[`${withPrefix}${column.name}`];
      const read = text === undefined ? null : readValue(column.type, text, page.timeZone);
      return read?.ok && read.value !== null ? [[column.name, read.value]] : [];
    }),
  );

/** What is copied from another record: `?copy.code=MV-014`. What must be the only one of its kind is left out. */
async function fromRecord(trip: Trip): Promise<Row> {
  const { page, request } = trip;
  const typed = page.key.map(({ name }) => request.query[`${copyPrefix}${name}`]);
  if (typed.some((each) => each === undefined)) return {};
  const read = readKey(
    page,
    typed.map((each) => encodeSegment(each ?? "")),
  );
  const record = read.ok ? await load({ ...trip, key: read.key }) : null;
  if (!record) return {};
  const isAlone = ({ column, rules }: Field): boolean =>
    page.key.includes(column) || rules.some(({ rule }) => rule === "unique");
  return Object.fromEntries(
    takenOnNew(page)
      .filter((field) => !isAlone(field))
      .map(({ column }) => [column.name, record.row[column.name] ?? null]),
  );
}

/** The form of a new record beside a list, of which the steps note nothing. */
export const newForm = async (trip: Trip): Promise<FormView> =>
  makeForm(trip, "new", freshForm(trip, "new", await defaults({ ...trip, recorder: new Recorder(() => 0) })));

/** The empty form, with the table's defaults in it. */
export async function openNew(trip: Trip): Promise<Outcome> {
  const notice = trip.request.saidAt === undefined ? null : saidHere(trip, `${trip.page.path.list}/new`);
  const form = await makeForm(trip, "new", { ...freshForm(trip, "new", await defaults(trip)), notice });
  trip.recorder.note(
    "prefill",
    form.fields.map(({ field, control, text }) => ({ name: field.column.name, value: text, note: control })),
  );
  return shown(form);
}
