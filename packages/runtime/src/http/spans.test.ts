import { afterAll, describe, expect, test } from "@jest/globals";
import { bodyOf, Client, formOf } from "@loyal-quill/testing";
import { type Attributes, type Context, type Span, type SpanOptions, trace } from "@opentelemetry/api";
import { createPages } from "../index.js";
import { serve } from "../testing/served.js";
import { demoPages, hollis, makeTrips } from "../testing/trips.js";

interface Told {
  readonly name: string;
  readonly parent: string | undefined;
  readonly traceId: string;
  readonly attributes: Attributes;
  readonly begun: number;
  ended: number;
}

const told: Told[] = [];

/** What an application's own tracing would keep. */
class Kept {
  readonly told: Told;
  private readonly id = (told.length + 1).toString(16).padStart(16, "0");

  constructor(name: string, { attributes = {}, startTime }: SpanOptions, context: Context) {
    const parent = trace.getSpanContext(context);
    const traceId = parent?.traceId ?? `${"0".repeat(31)}1`;
    this.told = {
      name,
      parent: parent?.spanId,
      traceId,
      attributes: { ...attributes },
      begun: Number(startTime),
      ended: 0,
    };
    told.push(this.told);
  }
  spanContext = () => ({ traceId: this.told.traceId, spanId: this.id, traceFlags: 1 });
  isRecording = () => true;
  setAttribute(name: string, value: string) {
    this.told.attributes[name] = value;
    return this;
  }
  setStatus() {
    return this;
  }
  end(at: number) {
    this.told.ended = at;
  }
}

trace.setGlobalTracerProvider({
  getTracer: () => ({
    startSpan: (name: string, options: SpanOptions, context: Context) =>
      new Kept(name, options, context) as unknown as Span,
    startActiveSpan: () => {
      throw new Error("no span is made active");
    },
  }),
});
afterAll(() => trace.disable());

describe("spans", () => {
  test("tell of a save, its steps and its statements, in the trace that it came in, and of nobody's values", async () => {
    const trips = await makeTrips();
    const pages = await createPages({
      database: trips.pool.options.connectionString,
      pages: demoPages,
      signingKey: "a key for tests, thirty-two bytes long",
      actor: () => hollis,
    });
    const served = await serve(pages, "/records");
    const client = new Client(served.origin);
    const form = formOf((await client.get("/records/stations/MV-014/edit")).text);
    told.splice(0);
    const traceId = "4bf92f3577b34da6a3ce929d0e0e4736";
    const { status } = await client.send("/records/stations/MV-014/edit", {
      method: "POST",
      body: bodyOf(form, { notes: "Nobody's business" }),
      headers: {
        "content-type": "application/x-www-form-urlencoded",
        traceparent: `00-${traceId}-00f067aa0ba902b7-01`,
      },
    });
    expect(status).toBe(303);
    await served.stop();
    await trips.close();
    const [whole, ...inside] = told;
    expect(whole).toMatchObject({
      name: "save station",
      traceId,
      parent: "00f067aa0ba902b7",
      attributes: {
        "quill.page": "station",
        "quill.operation": "save",
        "quill.outcome": "saved",
        "http.request.method": "POST",
        "http.response.status_code": 303,
      },
    });
    const names = inside.map(({ name }) => name);
    for (const step of ["route", "key", "access", "read", "check", "compare", "write", "answer"])
      expect(names).toContain(step);
    expect(inside.filter(({ attributes }) => attributes["db.system.name"] === "postgresql").length).toBeGreaterThan(0);
    for (const each of told) {
      expect(each.traceId).toBe(traceId);
      expect(each.ended).toBeGreaterThanOrEqual(each.begun);
    }
    const all = JSON.stringify(told);
    for (const value of ["Nobody's business", "Hollis", "hollis", "MV-014"]) expect(all).not.toContain(value);
  });
});
