import { describe, expect, test } from "@jest/globals";
import { traceOf } from "./trace.js";

const id = "4bf92f3577b34da6a3ce929d0e0e4736";

describe("the trace of a request (W3C Trace Context)", () => {
  test("is the one that is named, with this request as the parent of what follows", () => {
    const { id: own, traceparent } = traceOf(`00-${id}-00f067aa0ba902b7-01`);
    expect(own).toBe(id);
    expect(traceparent).toMatch(new RegExp(`^00-${id}-(?!00f067aa0ba902b7)[\\da-f]{16}-01$`));
  });

  test("of a later version too, whatever stands behind it (4.3)", () => {
    expect(traceOf(`cc-${id}-00f067aa0ba902b7-01-what-the-future-holds`).id).toBe(id);
  });

  test.each([
    undefined,
    "",
    "nonsense",
    `ff-${id}-00f067aa0ba902b7-01`,
    `00-${"0".repeat(32)}-00f067aa0ba902b7-01`,
    `00-${id}-${"0".repeat(16)}-01`,
    `00-${id}-00f067aa0ba902b7-01-more`,
    `00-${id.toUpperCase()}-00f067aa0ba902b7-01`,
  ])("is a new one where none is named that is valid: %p", (header) => {
    const { id: own, traceparent } = traceOf(header);
    expect(own).toMatch(/^(?!0+$)[\da-f]{32}$/);
    expect(own).not.toBe(id);
    expect(traceparent).toMatch(/^00-[\da-f]{32}-[\da-f]{16}-00$/);
  });
});
