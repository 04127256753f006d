import { show } from "../controls/show.js";
import { type Json, jsonOf, textOfJson } from "../json/value.js";
import { changesIn } from "../log/field-change.js";
import { outboxStatement } from "../log/outbox.js";
import { isTaken } from "../page/columns.js";
import { rowIn } from "../postgres/answered.js";
import type { Database, Row, Statement } from "../postgres/statement.js";
import type { Assignment } from "../statements/save.js";
import { formValues } from "../steps/check.js";
import type { SubmittedField } from "../steps/read-field.js";
import { readMember } from "../steps/read-json.js";
import { type OwnPart, RefusedInside } from "../steps/write.js";
import { type Column, columnOf, tableName } from "../table/model.js";
import {
  type OwnContext,
  OwnStepFailed,
  type OwnStepName,
  type OwnSteps,
  type OwnValues,
  type SavedEvent,
} from "../trip/own.js";
import { notKept, type Recorder } from "../trip/recording.js";
import type { StepName } from "../trip/round-trip.js";
import { logNoteOf, type Trip } from "../trip/trip.js";
import { readValue } from "../values/read-value.js";
import type { OwnCodeFailed } from "../values/registry.js";
import { saidBy } from "../values/said-by.js";
import type { Problem } from "../views/form-view.js";

type Operation = SavedEvent["operation"];

/** A stored value as a developer's step has it: as in JSON, those of sensitive columns too, since it is their data. */
const ownValue = ({ sensitive: _, ...column }: Column, row: Row): Json => jsonOf(column, row[column.name] ?? null);

/** What a row knows, by column. Files are left out. */
const valuesOf = ({ page }: Trip, row: Row): OwnValues =>
  Object.fromEntries(
    page.table.columns.flatMap((column) =>
      Object.hasOwn(row, column.name) && !column.stamped ? [[column.name, ownValue(column, row)] as const] : [],
    ),
  );

/** In which step of the trip a step of the developer's own is called. */
const stepOf: Readonly<Record<OwnStepName, StepName>> = {
  beforeCheck: "check",
  check: "check",
  beforeWrite: "write",
  inTransaction: "write",
  afterSave: "answer",
};

/** Notes that code of the developer's own failed in a save, and in which of its steps. */
export function noteFailure(recorder: Recorder, error: OwnCodeFailed): void {
  recorder.failures.push(error);
  recorder.note(error instanceof OwnStepFailed ? stepOf[error.step] : "check", [], error.message);
}

/** What the developer's own steps know of a save. */
interface Known {
  readonly fields: readonly SubmittedField[];
  /** Null for a new record. */
  readonly row: Row | null;
}

/** The developer's own steps in one save: each is called where it belongs, measured, and noted on the trip. */
export class Own {
  private constructor(
    private readonly trip: Trip,
    private readonly steps: OwnSteps,
    private readonly operation: Operation,
  ) {}

  /** Null where the page has none. */
  static of(trip: Trip, operation: Operation): Own | null {
    const steps = trip.dependencies.own?.(trip.page.name) ?? null;
    return steps && new Own(trip, steps, operation);
  }

  /** Whether a step is told what is stored before anything is written. */
  get asksForRow(): boolean {
    return (["beforeCheck", "check", "beforeWrite", "inTransaction"] as const).some((each) => this.steps.has.has(each));
  }

  /** The fields of a form, after what is done before they are judged. */
  async beforeCheck(fields: readonly SubmittedField[], row: Row | null): Promise<readonly SubmittedField[]> {
    const { page } = this.trip;
    const form = this.operation === "new" ? "new" : "edit";
    let after = fields;
    await this.call("beforeCheck", { fields, row }, [], {
      set: (name, value) => {
        const before = after.find(({ field }) => field.column.name === name);
        if (!before || !isTaken(before.field, form) || before.field.control === "file")
          throw new Error(`"${name}" is no field that this form takes`);
        const read = readMember(page, before.field, value as Json);
        if (before.field.column.sensitive) this.trip.recorder.cover(read.value);
        // As the field would show it, so that it is read as the same where the form comes back.
        const text = read.problem ? before.text : read.value === null ? "" : show(before.field, read.value, page).text;
        const touched = before.touched || read.value !== before.value;
        after = after.map((each) => (each === before ? { ...read, text, sent: true, touched } : each));
      },
    });
    return after;
  }

  /** What is wrong with a form that changes anything, or why a record may not be deleted. Asked only of what could be read. */
  async check(fields: readonly SubmittedField[], row: Row | null): Promise<readonly Problem[]> {
    if (this.operation === "change" && fields.every(({ touched }) => !touched)) return [];
    if (fields.some(({ problem }) => problem !== null)) return [];
    const problems: Problem[] = [];
    await this.call("check", { fields, row }, problems, {});
    return problems;
  }

  /** What goes along with a write: further values, and what belongs to its transaction. */
  async write(fields: readonly SubmittedField[], row: Row | null): Promise<OwnPart> {
    const assignments: Assignment[] = [];
    if (this.operation === "delete") return { assignments, within: this.within(fields, row) };
    await this.call("beforeWrite", { fields, row }, [], {
      set: (name, value) => void assignments.push(this.assignmentOf(name, value as Json, fields)),
    });
    return { assignments, within: this.within(fields, row) };
  }

  /** What belongs to the transaction of a write: null where it can be one statement. */
  private within(fields: readonly SubmittedField[], row: Row | null): OwnPart["within"] {
    const { steps, trip } = this;
    const keeps = steps.has.has("afterSave") && steps.keeps;
    if (!steps.has.has("inTransaction") && !keeps) return null;
    return async (inside, rows, place = 0) => {
      const events = rows.filter((each) => each.entry).map((each) => this.eventOf(each));
      for (const event of events) await this.inTransaction(inside, event, { fields, row }, place);
      if (!keeps) return;
      await inside.run(
        outboxStatement(
          trip.page.name,
          events.map((event) => JSON.stringify(event)),
        ),
      );
      trip.recorder.own({ name: "afterSave", ms: 0, said: "kept in the outbox, in this transaction" });
    };
  }

  /** Takes note of what was saved, once it is. @param answer what the statement answered */
  saved(answer: Row): void {
    if (this.steps.has.has("afterSave")) this.trip.saved.push(this.eventOf(answer));
  }

  /** Whether it has to be told later of a save of which nobody knows yet: what the outbox keeps is told from there. */
  get tellsLater(): boolean {
    return this.steps.has.has("afterSave") && !this.steps.keeps;
  }

  private async inTransaction(inside: Database, written: SavedEvent, known: Known, place: number): Promise<void> {
    if (!this.steps.has.has("inTransaction")) return;
    const problems: Problem[] = [];
    await this.call("inTransaction", known, problems, {
      written,
      query: (text, values, signal) => {
        const statement: Statement = { purpose: "own", text, values, plannedAnew: true, typed: true, signal };
        return inside.run(statement);
      },
    });
    if (problems.length > 0) throw new RefusedInside(problems, place);
  }

  private assignmentOf(name: string, value: Json, fields: readonly SubmittedField[]): Assignment {
    const { page } = this.trip;
    if (page.routine) throw new Error("this page saves through a routine, which gets the form and nothing else");
    const column = columnOf(page.table, name);
    if (!column) throw new Error(`${tableName(page.table)} has no column "${name}"`);
    if (this.operation === "change" && page.key.includes(column))
      throw new Error(`"${name}" is the key, by which the record is found`);
    if (column.written !== "freely") throw new Error(`the column "${name}" gets its value from the table`);
    const text = textOfJson(column, value);
    // An empty text is a text to their code, where the column must have a value.
    const isEmpty = value === "" && column.type.kind === "text" && !column.nullable;
    const read =
      text === undefined
        ? null
        : isEmpty
          ? ({ ok: true, value: "" } as const)
          : readValue(column.type, text, page.timeZone);
    const told = column.sensitive ? "this" : JSON.stringify(value);
    if (!read?.ok) throw new Error(`${told} is no value of "${name}", which is ${column.type.shown}`);
    if (column.sensitive) this.trip.recorder.cover(read.value);
    const isOnForm = fields.some(({ field, touched }) => touched && field.column === column);
    return { column, value: read.value, ...(isOnForm ? {} : { along: true as const }) };
  }

  /** What a save came to. @param answer what the statement answered */
  eventOf({ entry, changes, row }: Row): SavedEvent {
    const { page, key, request, facts } = this.trip;
    const after = rowIn(row);
    const { reason = null } = logNoteOf(this.trip);
    return {
      entry: entry ?? "",
      requestId: request.id,
      at: request.at.toISOString(),
      page: page.name,
      table: tableName(page.table),
      operation: this.operation,
      key: Object.fromEntries(page.key.map(({ name }, index) => [name, after[name] ?? key[index] ?? null])),
      changes: changesIn(changes),
      actor: { id: facts.actor.id, name: facts.actor.name },
      reason,
    };
  }

  /** Calls a step that the page has, with what it may do; what it does after it has ended has no effect. */
  private async call(
    name: OwnStepName,
    { fields, row }: Known,
    problems: Problem[],
    can: Pick<OwnContext, "set" | "written" | "query">,
  ): Promise<void> {
    const { steps, trip, operation } = this;
    if (!steps.has.has(name)) return;
    const { page, facts, request, recorder } = trip;
    const said: string[] = [];
    let over = false;
    const whileRunning = <Given extends unknown[], Result>(run: (...given: Given) => Result) => {
      return (...given: Given): Result => {
        if (over) throw new Error(`${name} has ended: nothing more can be done in it`);
        return run(...given);
      };
    };
    const problem = (field: string | null, message: string): void => {
      if (field !== null && !page.fields.some(({ column }) => column.name === field))
        throw new Error(`the page has no field "${field}": name one, or null for the form as a whole`);
      problems.push({ field, message, by: `${name} of ${steps.source}` });
      said.push(field === null ? message : `${field}: ${message}`);
    };
    const context: OwnContext = {
      page: page.name,
      operation,
      actor: facts.actor,
      requestId: request.id,
      reason: trip.reason ?? null,
      form: valuesOf(trip, formValues(row ?? {}, fields)),
      typed: Object.fromEntries(fields.flatMap(({ field, sent, text }) => (sent ? [[field.column.name, text]] : []))),
      row: row && valuesOf(trip, row),
      changed: fields.filter(({ touched }) => touched).map(({ field }) => field.column.name),
      say: (text) => void said.push(text),
      ...(can.set
        ? {
            set: whileRunning((column: string, value: unknown) => {
              can.set?.(column, value);
              const isSensitive = columnOf(page.table, column)?.sensitive === true;
              said.push(`${column} = ${isSensitive ? notKept : JSON.stringify(value)}`);
            }),
          }
        : {}),
      ...(name === "check" || name === "inTransaction" ? { problem: whileRunning(problem) } : {}),
      ...(can.written ? { written: can.written } : {}),
      ...(can.query ? { query: whileRunning(can.query) } : {}),
    };
    const begun = recorder.now();
    try {
      await steps.call(name, context);
    } catch (error) {
      said.push(error instanceof OwnStepFailed ? `failed: ${error.said}` : saidBy(error));
      throw error;
    } finally {
      over = true;
      recorder.own({ name, ms: recorder.now() - begun, said: said.length > 0 ? said.join("; ") : null });
    }
  }
}
