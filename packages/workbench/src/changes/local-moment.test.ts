import { describe, expect, test } from "@jest/globals";
import { localOf, momentOf } from "./local-moment.js";

describe("A moment that is typed", () => {
  test("is one of the zone that moments are told in", () => {
    expect(localOf("2026-11-23T18:20:27.9Z", "Asia/Kolkata")).toBe("2026-11-23T23:50");
    expect(momentOf("2026-11-23T23:50", "Asia/Kolkata")).toBe("2026-11-23T18:20:00.000Z");
    expect(momentOf("2026-07-01T12:00", "Europe/London")).toBe("2026-07-01T11:00:00.000Z");
  });

  test("is the first of two where the clocks go back, and the next where they go forward", () => {
    expect(momentOf("2026-10-25T01:30", "Europe/London")).toBe("2026-10-25T00:30:00.000Z");
    expect(momentOf("2026-03-29T01:30", "Europe/London")).toBe("2026-03-29T01:30:00.000Z");
  });

  test("is none where an address has something else", () => {
    expect(localOf("", "UTC")).toBe("");
    expect(localOf("yesterday", "UTC")).toBe("");
    expect(momentOf("", "UTC")).toBe("");
  });
});
