import type { RecordedRequest } from "@loyal-quill/core";
import { context, ROOT_CONTEXT, type Span, SpanKind, SpanStatusCode, trace } from "@opentelemetry/api";

/** Where the spans of a request belong: in the one that is open, as of an HTTP server; else in what its `traceparent` names (W3C Trace Context, 3.2). */
function parentOf({ wire }: RecordedRequest) {
  if (trace.getSpan(context.active())) return context.active();
  const [, traceId, spanId, flags] =
    /^[\da-f]{2}-([\da-f]{32})-([\da-f]{16})-([\da-f]{2})/.exec(wire?.headers.traceparent ?? "") ?? [];
  if (traceId === undefined || spanId === undefined) return ROOT_CONTEXT;
  const traceFlags = Number.parseInt(flags ?? "0", 16);
  return trace.setSpanContext(ROOT_CONTEXT, { traceId, spanId, traceFlags, isRemote: true });
}

/**
 * Tells OpenTelemetry of a request that is answered: a span for it, one for each step, and one for each statement. Where the application has set up
 * no tracing, nothing is done. No value of a record or of a person stands in any.
 */
export function spansOf(recorded: RecordedRequest): void {
  const tracer = trace.getTracer("loyal-quill");
  const { page, operation, outcome, method, status, ms, steps, id } = recorded;
  const startTime = Date.parse(recorded.at);
  const attributes = {
    "quill.request": id,
    "quill.page": page ?? "",
    "quill.operation": operation,
    "quill.outcome": outcome,
    "http.request.method": method,
    "http.response.status_code": status,
  };
  const whole = tracer.startSpan(`${operation} ${page ?? ""}`.trim(), { startTime, attributes }, parentOf(recorded));
  if (!whole.isRecording()) return;
  const within = (span: Span) => trace.setSpan(ROOT_CONTEXT, span);
  let at = startTime;
  for (const step of steps) {
    const span = tracer.startSpan(step.step, { startTime: at }, within(whole));
    // A step's statements come one after the other, and what is computed comes before the first and after the last.
    let sent = at;
    for (const { purpose, rows, ms: took = 0, standby } of step.statements) {
      const kind = SpanKind.CLIENT;
      const told = {
        "db.system.name": "postgresql",
        "db.operation.name": purpose,
        "db.response.returned_rows": rows,
        ...(standby === undefined ? {} : { "quill.standby": standby }),
      };
      tracer.startSpan(purpose, { startTime: sent, kind, attributes: told }, within(span)).end(sent + took);
      sent += took;
    }
    at += step.ms;
    if (step.stopped !== null) span.setAttribute("quill.stopped", true);
    span.end(at);
  }
  if (outcome === "failed") whole.setStatus({ code: SpanStatusCode.ERROR });
  whole.end(startTime + ms);
}
