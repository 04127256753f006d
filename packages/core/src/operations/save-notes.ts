import type { Submission } from "../steps/read.js";
import type { RecordedValue, Recorder } from "../trip/recording.js";
import type { Problem } from "../views/form-view.js";
import type { Done, Given, Ready, Stopped } from "./save-kind.js";

/* What the steps of a save leave in its record: the real values, and why the way ended where it did. Of several records each value says whose it is. */

/** Values of several records, each with whose it is. */
const ofRow = (values: readonly RecordedValue[], { trip }: Given, isOne: boolean): readonly RecordedValue[] => {
  if (isOne) return values;
  const row = trip.key.join(", ");
  return values.map((value) => ({ ...value, row }));
};

/** What was sent, and what was expected and did not come. */
export function noteRead(recorder: Recorder, all: readonly Given[], isOne = true): void {
  const values = all.flatMap((given) => ofRow(readValues(given.submission), given, isOne));
  const noticed = all.flatMap(({ submission }) => submission.noticed);
  recorder.note("read", values, null, noticed);
}

function readValues({ fields, ignored }: Submission): RecordedValue[] {
  return [
    ...fields.map((each) => ({
      name: each.field.column.name,
      value: each.text,
      note: each.missing ? "did not come" : each.touched ? "touched" : "untouched",
      ...(each.raw === undefined ? {} : { sent: each.raw }),
      ...(each.touched ? { became: each.value } : {}),
      ...(each.problem ? { problem: each.problem.message } : {}),
    })),
    ...ignored.map(([name, value]) => ({ name, value: "", sent: value, note: "not on the form: ignored" })),
  ];
}

const problemValues = (problems: readonly Problem[]): RecordedValue[] =>
  problems.map(({ field, message, by }) => ({
    name: field ?? "form",
    value: message,
    ...(by === undefined ? {} : { note: by }),
  }));

/** Why the way ends: at problems, at conflicts, or since a record is not to be had. */
export function noteStops(
  recorder: Recorder,
  step: "check" | "compare" | "write",
  stops: readonly Stopped[],
  { all, said = "" }: { readonly all: number; readonly said?: string },
): void {
  const isOne = all === 1;
  const refused = said === "" ? [] : [{ name: "refused", value: said }];
  const values = stops.flatMap((stop) =>
    ofRow(
      [...(stop.compared ? comparedValues(stop.compared) : []), ...problemValues(stop.problems)],
      stop.given,
      isOne,
    ),
  );
  const [first] = stops;
  const reason =
    isOne && first ? (first.reason ?? reasonOf(first)) : said || `${stops.length} of ${all} rows can't be saved`;
  recorder.note(step, [...refused, ...values], reason);
}

function reasonOf({ problems, conflicts }: Stopped): string {
  if (conflicts.length > 0) return `changed by someone else: ${conflicts.map(({ field }) => field).join(", ")}`;
  const said = problems.map(({ message }) => message).join(" ");
  return `${problems.length} ${problems.length === 1 ? "rule" : "rules"} failed: ${said}`;
}

const comparedValues = (compared: Ready["compared"]): RecordedValue[] =>
  compared.map(({ submitted, state }) => ({
    name: submitted.field.column.name,
    value: submitted.text,
    note: state,
  }));

export function noteCompared(recorder: Recorder, all: readonly Ready[]): void {
  const isOne = all.length === 1;
  recorder.note(
    "compare",
    all.flatMap((ready) =>
      ofRow(
        comparedValues(isOne ? ready.compared : ready.compared.filter(({ state }) => state !== "untouched")),
        ready,
        isOne,
      ),
    ),
  );
}

/** What was written, and under which numbers the log has it. */
export function noteWrite(recorder: Recorder, rows: readonly Done[], more?: string): void {
  const isOne = rows.length === 1;
  const values = rows.flatMap(({ given, changes, entry }): readonly RecordedValue[] => {
    if (entry === null) return isOne ? [{ name: "written", value: "nothing", note: "no value differs" }] : [];
    if (given.submission.claims.form === "delete")
      return [
        { name: "deleted", value: given.trip.key.join(", ") },
        { name: "log entry", value: entry },
      ];
    const changed = changes.map((change) => ({
      name: change.field,
      value: change.new,
      note: change.hidden ? "changed" : `was ${change.old ?? "null"}`,
    }));
    const logged = { name: "log entry", value: entry, ...(more === undefined ? {} : { note: more }) };
    return ofRow([...changed, logged], given, isOne);
  });
  const written = rows.filter(({ entry }) => entry !== null).length;
  recorder.note("write", isOne ? values : [...values, { name: "rows written", value: String(written) }]);
}
