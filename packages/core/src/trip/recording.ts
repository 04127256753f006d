import type { Statement, Stored } from "../postgres/statement.js";
import type { OutcomeKind } from "./outcome.js";
import type { Operation, StepName } from "./round-trip.js";

/** One value that a step had or made. `note` says in a word what became of it. */
export interface RecordedValue {
  readonly name: string;
  /** Whose it is, where a step is about several records: the key. */
  readonly row?: string;
  readonly value: Stored;
  /** As it came over the wire, of what was sent; left out where nothing came. */
  readonly sent?: string;
  readonly note?: string;
  /** The value that a typed text was read as; null where it is none. */
  readonly became?: Stored;
  /** What is wrong with it. */
  readonly problem?: string;
}

/** What came over the wire, and what went back. Values of hidden columns, cookies and passwords are not kept. */
export interface RecordedWire {
  readonly query: Readonly<Record<string, string>>;
  /** As it was read off HTTP; empty where the engine was asked without it. */
  readonly headers: Readonly<Record<string, string>>;
  /** The body as it was sent; null where there was none, or it was refused unread. */
  readonly body: string | null;
  readonly answer: {
    readonly headers: Readonly<Record<string, string>>;
    /** Null where it was sent part by part. */
    readonly body: string | null;
  };
}

/** One step of a request with its real values. */
export interface RecordedStep {
  readonly step: StepName;
  /** How long the step took, in milliseconds. */
  readonly ms: number;
  readonly values: readonly RecordedValue[];
  /** Why the way ended here, where it did. */
  readonly stopped: string | null;
  /** What the developer should know of it, in whole sentences; left out where there is nothing. */
  readonly noticed?: readonly string[];
  /** What was sent to the database in this step, and how many rows came back. */
  readonly statements: readonly {
    readonly purpose: string;
    readonly text: string;
    readonly values: readonly Stored[];
    readonly rows: number;
    /** How long its answer took, in milliseconds; what was recorded earlier does not say so. */
    readonly ms?: number;
    /** The standby by which it was answered, without user and password; left out where it was the primary. */
    readonly standby?: string;
  }[];
  /** The developer's own steps that were called in it: how long each took, and what it said. */
  readonly own?: readonly RecordedOwn[];
}

/** A step of the developer's own, as it went. */
export interface RecordedOwn {
  readonly name: string;
  readonly ms: number;
  readonly said: string | null;
}

/** One open, save or list as it went, to be looked at in the workbench. */
export interface RecordedRequest {
  readonly id: string;
  /** ISO 8601, UTC. */
  readonly at: string;
  readonly operation: Operation;
  readonly method: string;
  readonly path: string;
  readonly page: string | null;
  readonly actor: { readonly id: string; readonly name: string } | null;
  /** The key's values in the order of the address. */
  readonly key: readonly string[] | null;
  readonly outcome: OutcomeKind;
  readonly status: number;
  readonly ms: number;
  readonly steps: readonly RecordedStep[];
  /** The trace that it is part of (W3C Trace Context, 3.2.2.3): 32 hexadecimal digits. */
  readonly trace?: string;
  /** Left out of what is told to many at once. */
  readonly wire?: RecordedWire;
}

const longest = 2000;

const isLong = (value: Stored): boolean => value !== null && value.length > longest;

/** So many values are kept of a step, and of all its statements together: an upload of thousands of rows has more than anybody reads. */
const mostValues = 2000;

/** A value short enough to be kept: what is cut is said. */
const kept = (value: Stored): Stored =>
  value !== null && isLong(value) ? `${value.slice(0, longest)}… (${value.length} characters)` : value;

/** Whether one of a value's texts is too long to be kept. */
const hasLong = ({ value, sent, became }: RecordedValue): boolean =>
  isLong(value) || isLong(sent ?? null) || isLong(became ?? null);

/** A value with its texts made others. */
const withTexts = (each: RecordedValue, make: (text: Stored) => Stored): RecordedValue => ({
  ...each,
  value: make(each.value),
  ...(each.sent === undefined ? {} : { sent: make(each.sent) ?? "" }),
  ...(each.became === undefined ? {} : { became: make(each.became) }),
});

/** What stands in a record for the value of a hidden column. */
export const notKept = "(not kept)";

/** Collects the steps of one request. The time is handed in, in milliseconds from any start. */
export class Recorder {
  readonly steps: RecordedStep[] = [];
  /** What failed of a developer's own code. */
  readonly failures: Error[] = [];
  private sent: RecordedStep["statements"][number][] = [];
  private called: RecordedOwn[] = [];
  private sentValues = 0;
  /** Statements that are not kept. */
  private unkept = 0;
  private last: number;
  private readonly hidden = new Set<string>();
  /** Texts that were recorded of hidden columns: they stand among the parameters of statements as well. */
  private readonly secrets = new Set<string>();
  private readonly first: number;

  constructor(private readonly elapsed: () => number) {
    this.last = elapsed();
    this.first = this.last;
  }

  /** Remembers a statement for the step that is noted next. */
  statement(statement: Statement, rows: number, ms: number, standby?: string): void {
    const { purpose, text } = statement;
    this.sentValues += statement.values.length;
    if (this.sentValues > mostValues && this.sent.length > 0) {
      this.unkept += 1;
      return;
    }
    const values = statement.values.some(isLong) ? statement.values.map(kept) : statement.values;
    this.sent.push(
      standby === undefined ? { purpose, text, values, rows, ms } : { purpose, text, values, rows, ms, standby },
    );
  }

  /** Remembers a step of the developer's own for the step that is noted next. */
  own(called: RecordedOwn): void {
    this.called.push({ ...called, said: kept(called.said) });
  }

  /** Milliseconds from any start. */
  now(): number {
    return this.elapsed();
  }

  /** Notes a step that has ended. A step that is taken again stands once, as it went last, with all that it sent. */
  note(
    step: StepName,
    values: readonly RecordedValue[],
    stopped: string | null = null,
    noticed: readonly string[] = [],
  ): void {
    const now = this.elapsed();
    if (this.hidden.size > 0)
      for (const { name, value, sent = "" } of values)
        if (this.isHidden(name)) for (const secret of [value, sent]) this.cover(secret);
    const some = values.length > mostValues ? values.slice(0, mostValues) : values;
    const shortened = some.some(hasLong) ? some.map((each) => withTexts(each, kept)) : some;
    const leftOut = [
      ...(some === values ? [] : [`Values not kept here: ${values.length - some.length} of ${values.length}.`]),
      ...(this.unkept === 0 ? [] : [`Statements not kept here, since there were too many values: ${this.unkept}.`]),
    ];
    const again = this.steps.findIndex((each) => each.step === step);
    const [before] = again < 0 ? [] : this.steps.splice(again, 1);
    const statements = [...(before?.statements ?? []), ...this.sent];
    const own = [...(before?.own ?? []), ...this.called];
    const said = [...(noticed.length > 0 ? noticed : (before?.noticed ?? [])), ...leftOut];
    const more = { ...(own.length > 0 ? { own } : {}), ...(said.length > 0 ? { noticed: said } : {}) };
    this.steps.push({ step, ms: now - this.last + (before?.ms ?? 0), values: shortened, stopped, statements, ...more });
    this.sent = [];
    this.called = [];
    [this.sentValues, this.unkept] = [0, 0];
    this.last = now;
  }

  /** Keeps nothing of a value, wherever it stands. */
  cover(value: Stored): void {
    if (value !== null && value !== "") this.secrets.add(value);
  }

  /** Keeps nothing of the values of these columns from now on. */
  hide(columns: readonly string[]): void {
    for (const name of columns) this.hidden.add(name);
  }

  private isHidden(name: string): boolean {
    // In a list's rows a column's name stands behind the row's.
    return this.hidden.has(name) || this.hidden.has(name.slice(name.lastIndexOf(":") + 1));
  }

  /** The steps as they are kept: without the values of hidden columns, wherever they stand. */
  kept(): readonly RecordedStep[] {
    if (this.hidden.size === 0) return this.steps;
    const isSecret = (value: Stored): boolean =>
      value !== null &&
      [...this.secrets].some((secret) => value === secret || (secret.length > 5 && value.includes(secret)));
    const cover = (value: Stored): Stored => (isSecret(value) ? notKept : value);
    return this.steps.map((step) => ({
      ...step,
      stopped: cover(step.stopped),
      ...(step.own ? { own: step.own.map((each) => ({ ...each, said: cover(each.said) })) } : {}),
      values: step.values.map((each) =>
        withTexts(each, (text) => (this.isHidden(each.name) && text !== null ? notKept : cover(text))),
      ),
      statements: step.statements.map((each) => ({ ...each, values: each.values.map(cover) })),
    }));
  }

  /** A text in which no value of a hidden column stands any more, as far as it was seen and is long enough to be known again. */
  covered(text: string): string {
    let covered = text;
    for (const secret of this.secrets) if (secret.length > 5) covered = covered.replaceAll(secret, notKept);
    return covered;
  }

  /** Milliseconds since the request began. */
  total(): number {
    return this.elapsed() - this.first;
  }
}
