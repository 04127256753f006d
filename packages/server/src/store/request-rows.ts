import type { RecordedRequest, RecordedWire } from "@loyal-quill/core";
import type { GlanceStep, ToldProblem } from "./entities.js";
import { cutText, fitting, storable, storableJson } from "./fitting.js";
import { requestFormat } from "./stored-format.js";

/** A request as a list tells of it. */
export interface ToldRequest {
  readonly number: string;
  readonly id: string;
  readonly at: string;
  readonly page: string | null;
  readonly operation: RecordedRequest["operation"];
  readonly outcome: RecordedRequest["outcome"];
  readonly actor: { readonly id: string; readonly name: string } | null;
  readonly method: string;
  readonly path: string;
  readonly status: number;
  readonly ms: number;
  readonly record: string | null;
  readonly stoppedAt: string | null;
  readonly reason: string | null;
  readonly problems: readonly ToldProblem[];
  readonly statements: number;
  readonly trace: string | null;
  readonly steps: readonly GlanceStep[];
}

/** What was wrong with a request: the fields, and by which rule each; `conflict` where somebody else had changed it. */
export const problemsOf = ({ steps, outcome }: RecordedRequest): ToldProblem[] => {
  if (outcome !== "invalid" && outcome !== "conflict") return [];
  const check = steps.find(({ step, stopped }) => step === "check" && stopped !== null);
  if (check) return check.values.map(({ name, note }) => ({ field: name, by: note ?? "table" })).slice(0, 50);
  const compare = steps.find(({ step, stopped }) => step === "compare" && stopped !== null);
  return (compare?.values ?? []).flatMap(({ name, note }) =>
    note === "conflict" ? [{ field: name, by: "conflict" }] : [],
  );
};

type RequestRow = Readonly<Record<string, string | number | null>>;

export function rowOf(database: string, { wire, ...rest }: RecordedRequest): RequestRow {
  const text = JSON.stringify(rest);
  const recorded = fitting(rest, text);
  const { id, at, page, operation, outcome, actor, method, path, status, ms, key, steps, trace } = recorded;
  const stop = steps.find(({ stopped }) => stopped !== null);
  const glance = steps.map(({ step, ms: took, stopped }) => ({
    step,
    ms: took,
    stopped: stopped?.slice(0, 200) ?? null,
  }));
  return {
    id,
    database,
    at,
    page,
    operation,
    outcome,
    actor_id: storable(actor?.id, 255),
    actor_name: storable(actor?.name, 255),
    method: storable(method, 31),
    path: storable(path, 1000),
    status,
    ms,
    record: storable(key?.join("/"), 300),
    stopped_at: stop?.step ?? null,
    reason: storable(stop?.stopped ?? undefined, 1000),
    problems: storableJson(problemsOf(recorded)),
    statements: steps.reduce((sum, { statements }) => sum + statements.length, 0),
    trace: trace ?? null,
    glance: storableJson(glance),
    kept: recorded === rest ? text : JSON.stringify(recorded),
    wire: wire ? JSON.stringify(cutWire(wire)) : null,
    format: requestFormat,
  };
}

/** A request as it was kept, in either of the formats. */
export const recordedOf = ({ kept, recorded }: Kept): RecordedRequest =>
  kept ? (JSON.parse(kept) as RecordedRequest) : (recorded as RecordedRequest);

interface Kept {
  readonly kept?: string | null | undefined;
  readonly recorded?: RecordedRequest | null | undefined;
}

export const toldColumns =
  "number::text, id, at, page, operation, outcome, actor_id, actor_name, method, path, status, ms, record, stopped_at, reason, problems, statements, trim(trace) AS trace, glance";

export interface ToldRow extends Omit<ToldRequest, "at" | "actor" | "steps" | "stoppedAt"> {
  readonly at: string | Date;
  readonly actor_id: string | null;
  readonly actor_name: string | null;
  readonly stopped_at: string | null;
  readonly glance: GlanceStep[];
}

export const toldOf = ({ actor_id, actor_name, stopped_at, glance, at, ...rest }: ToldRow): ToldRequest => ({
  ...rest,
  at: new Date(at).toISOString(),
  actor: actor_id === null ? null : { id: actor_id, name: actor_name ?? actor_id },
  stoppedAt: stopped_at,
  steps: glance,
});

const cutWire = (wire: RecordedWire): RecordedWire => ({
  ...wire,
  body: wire.body === null ? null : cutText(wire.body, mostOfWire),
  answer: { ...wire.answer, body: wire.answer.body === null ? null : cutText(wire.answer.body, mostOfWire) },
});

/** Characters that are kept of a body and of an answer. */
const mostOfWire = 200_000;
