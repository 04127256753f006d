import type { ComparedField } from "../steps/compare.js";
import type { Submission } from "../steps/read.js";
import type { WriteResult } from "../steps/write.js";
import type { Recorder } from "../trip/recording.js";
import type { Problem } from "../views/form-view.js";

/** What the steps of a save leave in its record: the real values, and why the way ended where it did. */

export function noteRead(recorder: Recorder, submission: Submission): void {
  const fields = submission.fields.map((each) => ({
    name: each.field.column.name,
    value: each.text,
    note: each.touched ? "touched" : "untouched",
    ...(each.touched ? { became: each.value } : {}),
    ...(each.problem ? { problem: each.problem.message } : {}),
  }));
  recorder.note("read", [
    ...fields,
    ...submission.ignored.map((name) => ({ name, value: null, note: "not on the form: ignored" })),
  ]);
}

export function noteProblems(recorder: Recorder, problems: readonly Problem[]): void {
  const values = problems.map(({ field, message, by }) => ({
    name: field ?? "form",
    value: message,
    ...(by === undefined ? {} : { note: by }),
  }));
  const said = problems.map((problem) => problem.message).join(" ");
  recorder.note("check", values, `${problems.length} ${problems.length === 1 ? "rule" : "rules"} failed: ${said}`);
}

export function noteCompared(recorder: Recorder, compared: readonly ComparedField[]): void {
  const values = compared.map(({ submitted, state }) => ({
    name: submitted.field.column.name,
    value: submitted.text,
    note: state,
  }));
  const conflicts = compared
    .filter((each) => each.state === "conflict")
    .map((each) => each.submitted.field.column.name);
  recorder.note("compare", values, conflicts.length > 0 ? `changed by someone else: ${conflicts.join(", ")}` : null);
}

export function noteWrite(recorder: Recorder, result: WriteResult): void {
  if (result.kind === "written") {
    const values = result.changes.map((change) => ({
      name: change.field,
      value: change.new,
      note: change.hidden ? "changed" : `was ${change.old ?? "null"}`,
    }));
    recorder.note("write", [...values, { name: "log entry", value: result.entry }]);
  } else if (result.kind === "refused") {
    recorder.note(
      "write",
      [{ name: "refused", value: result.said }],
      result.problems.map((problem) => problem.message).join(" "),
    );
  }
  // Otherwise no row was found in that version: the way goes back to Compare, which notes what was sent.
}
