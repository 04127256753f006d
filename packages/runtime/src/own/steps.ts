import {
  type Actor,
  DatabaseAway,
  DatabaseRefusal,
  isRetryable,
  type OwnContext,
  OwnStepFailed,
  type OwnStepName,
  type OwnSteps,
  ownStepNames,
  type SavedEvent,
  type Stored,
  saidBy,
} from "@loyal-quill/core";

/** A record's columns with their values, as `quill types` writes it. */
type Columns = object;

/** What every step is told. `Row` is the type of the table's rows, as `quill types` writes it. */
export interface StepContext<Row extends Columns = Record<string, unknown>> {
  /** The name of the page file. */
  readonly page: string;
  readonly operation: "change" | "new" | "delete";
  readonly actor: Actor;
  /** By which the request is found in the log and in the workbench. */
  readonly requestId: string;
  /** Why it is saved, where the page asks. */
  readonly reason: string | null;
  /** What the record would be: the form's values, and what is stored of the rest. A value that the form leaves empty is null, whatever the table says. */
  readonly form: { readonly [Name in keyof Row]?: Row[Name] | null };
  /** The texts of the fields that were sent, as typed. */
  readonly typed: { readonly [Name in keyof Row]?: string };
  /** The record as it is stored now; null for a new one. */
  readonly row: Readonly<Row> | null;
  /** The columns whose fields were changed on the form. */
  readonly changed: readonly (keyof Row & string)[];
  /** Whether nothing will stay of it: it is tried in the workbench. Leave out what reaches beyond the database. */
  readonly isTrial: boolean;
  /** Aborted when the step has taken too long: hand it to whatever waits. */
  readonly signal: AbortSignal;
  /** Tells something on the trip. No values that nobody else may see. */
  say(text: string): void;
}

export interface Setting<Row extends Columns> {
  /** Gives a column another value. @throws where it can't have it */
  set<Name extends keyof Row & string>(name: Name, value: Row[Name] | null): void;
}

export interface Refusing<Row extends Columns> {
  /** Refuses the save, with a message at a field, or above the form where `field` is null. */
  problem(field: (keyof Row & string) | null, message: string): void;
}

export interface InTransaction<Row extends Columns> extends StepContext<Row>, Refusing<Row> {
  /** What was written, though not yet for others to see. */
  readonly written: SavedEvent;
  /**
   * Sends a statement in the transaction of the save, by the same connection. Values are handed as parameters, never in the text; a list goes as JSON.
   *
   * @returns the rows, with the types that `pg` gives them
   */
  query<Answer extends object = Record<string, unknown>>(
    text: string,
    values?: readonly unknown[],
  ): Promise<readonly Answer[]>;
}

/** What is told after a save. */
export interface AfterSave extends SavedEvent {
  /** Which try it is, from 1 on; more than 1 only where it is kept in the outbox. */
  readonly attempt: number;
  readonly signal: AbortSignal;
}

export interface OwnStepsOf<Row extends Columns = Record<string, unknown>> {
  /** Before the form is judged: may give its fields other values. */
  beforeCheck?(context: StepContext<Row> & Setting<Row>): void | Promise<void>;
  /** Judges what the page's own rules can't: refuses by `problem`. Not asked while a field can't be read. */
  check?(context: StepContext<Row> & Refusing<Row>): void | Promise<void>;
  /** Before it is written, once it was found good: may give any column of the table a value, the form's or not. */
  beforeWrite?(context: StepContext<Row> & Setting<Row>): void | Promise<void>;
  /** In the transaction of the save, after it was written: what is thrown here takes all of it back. */
  inTransaction?(context: InTransaction<Row>): void | Promise<void>;
  /** After the commit: once; what was not done when the process ends is lost, and a failure is told to `onError`. */
  afterSave?(saved: AfterSave): void | Promise<void>;
  /**
   * Keeps what is to be done after a save in the outbox, in the save's own transaction: `afterSave` is then called until it ends without an error,
   * also after a restart, and by one process at a time. It may be called twice for one save: go by `entry`, which is its number.
   */
  readonly outbox?: true;
  /** Milliseconds that each step may take; 5,000 where it is left out. */
  readonly limit?: number;
}

/**
 * A page's own steps, typed against its table. It does nothing but check the types.
 *
 * @example
 * export default defineSteps<Station>({
 *   async check({ form, changed, problem, signal }) {
 *     if (changed.includes("name") && (await register.has(form.name, { signal })))
 *       problem("name", "The register has this name already.");
 *   },
 * });
 */
export const defineSteps = <Row extends Columns = Record<string, unknown>>(steps: OwnStepsOf<Row>): OwnStepsOf<Row> =>
  steps;

// biome-ignore lint/suspicious/noExplicitAny: a page's steps are typed by their own file
export type AnySteps = OwnStepsOf<any>;

/** Milliseconds that a step may take. */
export const usualLimit = 5_000;

/** What can be sent as a parameter, in PostgreSQL's text form. */
function parameterOf(value: unknown): Stored {
  if (value === null || value === undefined) return null;
  if (typeof value === "string") return value;
  if (typeof value === "number" || typeof value === "boolean" || typeof value === "bigint") return String(value);
  if (value instanceof Date) return value.toISOString();
  if (value instanceof Uint8Array) return `\\x${Buffer.from(value).toString("hex")}`;
  return JSON.stringify(value);
}

/** Runs something that may not take longer. @throws what it throws, or that it took too long */
export async function limited<Result>(
  ms: number,
  run: (signal: AbortSignal) => Promise<Result> | Result,
): Promise<Result> {
  const end = new AbortController();
  let timer: NodeJS.Timeout | undefined;
  const late = new Promise<never>((_, reject) => {
    timer = setTimeout(() => {
      const error = new Error(`it took longer than ${ms} ms`);
      end.abort(error);
      reject(error);
    }, ms);
  });
  try {
    return await Promise.race([(async () => run(end.signal))(), late]);
  } finally {
    clearTimeout(timer);
  }
}

/** What is thrown as it is: the connection was lost, or the whole transaction is to be sent again. */
const passesThrough = (error: unknown): boolean =>
  error instanceof DatabaseAway || (error instanceof DatabaseRefusal && isRetryable(error));

/**
 * A page's own steps, as the engine calls them.
 *
 * @param source where they stand, for messages
 */
export function callsOf(steps: AnySteps, source: string, { isTrial }: { readonly isTrial: boolean }): OwnSteps {
  const limit = steps.limit ?? usualLimit;
  return {
    source,
    has: new Set(ownStepNames.filter((name) => typeof steps[name] === "function")),
    keeps: steps.outbox === true,
    async call(name, context) {
      try {
        await limited(limit, (signal) => run(steps, name, context, { signal, isTrial }));
      } catch (error) {
        if (passesThrough(error)) throw error;
        // PostgreSQL's message may hold values, but it is the developer's own statement.
        throw new OwnStepFailed(name, source, saidBy(error), { cause: error });
      }
    },
  };
}

function run(
  steps: AnySteps,
  name: OwnStepName,
  context: OwnContext,
  more: { readonly signal: AbortSignal; readonly isTrial: boolean },
): void | Promise<void> {
  const told = { ...context, ...more };
  if (name !== "inTransaction") return (steps[name] as ((told: object) => void | Promise<void>) | undefined)?.(told);
  return steps.inTransaction?.({
    ...told,
    query: async (text: string, values: readonly unknown[] = []) =>
      context.query?.(text, values.map(parameterOf), more.signal),
  } as unknown as InTransaction<Record<string, unknown>>);
}
