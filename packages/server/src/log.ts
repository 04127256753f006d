import type { ReplicaReport } from "@loyal-quill/runtime";
import pino, { type DestinationStream, type Logger } from "pino";

/** An error of the database or of the layer over it: its message holds statements and values, people's and password hashes. */
function isOfDatabase(error: Readonly<Record<string, unknown>>): boolean {
  const { code, name, severity, sql, query, previous } = error;
  const isRefusal = typeof code === "string" && /^[0-9A-Z]{5}$/.test(code) && !/^E[A-Z]+$/.test(code);
  const isNamed = typeof name === "string" && /Exception$|^Database(Refusal|Away)$/.test(name);
  return (
    isRefusal || isNamed || severity !== undefined || sql !== undefined || query !== undefined || previous !== undefined
  );
}

/** Where it happened, without the message, which stands before it. */
const framesOf = (stack: unknown): string =>
  typeof stack === "string"
    ? stack
        .split("\n")
        .filter((line) => /^\s+at /.test(line))
        .slice(0, 12)
        .join("\n")
    : "";

/** How many errors behind one another are logged. */
const mostCauses = 3;

function logged(error: unknown, depth: number): Readonly<Record<string, unknown>> {
  if (typeof error !== "object" || error === null) return { type: typeof error };
  const fields = error as Readonly<Record<string, unknown>>;
  const code = typeof fields.code === "string" || typeof fields.code === "number" ? fields.code : undefined;
  return {
    type: (error as Error).name ?? "Error",
    ...(code === undefined ? {} : { code }),
    ...(typeof fields.sqlState === "string" ? { code: fields.sqlState } : {}),
    message: isOfDatabase(fields)
      ? "the database refused a statement, or could not be reached; what it said is not logged, since it may hold values"
      : String(fields.message ?? ""),
    stack: framesOf(fields.stack),
    // What a library says went wrong with something else says too little without it: "fetch failed".
    ...(fields.cause instanceof Error && depth < mostCauses ? { cause: logged(fields.cause, depth + 1) } : {}),
  };
}

/** An error as it is logged: what kind, where, and what it says unless that may hold somebody's values. */
export const plainError = (error: unknown): Readonly<Record<string, unknown>> => logged(error, 0);

/** Tells that a standby is read from again, or is not. */
export const tellReplica = (logger: Logger, { place, state, behind }: ReplicaReport): void =>
  logger[state === "following" ? "info" : "warn"]({ place, state, behind }, "a standby has changed its state");

/** A logger in whose lines stand no values of people and no statements. */
export const makeLogger = (level: string, destination: DestinationStream): Logger =>
  pino({ level, serializers: { err: plainError } }, destination);

/** The same for a logger that was made elsewhere. */
export const careful = (logger: Logger): Logger => logger.child({}, { serializers: { err: plainError } });
