import { describe, expect, test } from "@jest/globals";
import { mv014, requestOf, signer, stationPage } from "../testing/marrow-vale.js";
import { failed, notFound, type Outcome, refused } from "../trip/outcome.js";
import { answer, readSaid, saidCookie } from "./answer.js";

const request = requestOf();

const saved: Outcome = { kind: "saved", page: stationPage, key: ["MV-014"], row: mv014, changes: [], what: "changed" };

describe("Answer", () => {
  test("after a save comes 303 to the list, with one line that says what was done", () => {
    const { status, headers } = answer(saved, request, signer);
    expect(status).toBe(303);
    expect(headers.location).toBe("/stations");
    const cookie = headers["set-cookie"] ?? "";
    expect(cookie).toMatch(/; Path=\/stations; Max-Age=60; HttpOnly; SameSite=Lax$/);
    const value = cookie.slice(saidCookie.length + 1).split(";")[0] ?? "";
    const read = (said: string, path = "/stations") => readSaid({ ...request, path, said }, signer);
    expect(read(value)).toEqual({ text: "MV-014, Otter Weir, is saved.", address: "/stations/MV-014", undo: null });
    // It is for the address that it was made for, and for no other.
    expect(read(value, "/sensors")).toBeNull();
    expect(read(`x${value}`)).toBeNull();
    expect(read("nonsense")).toBeNull();
  });

  test("an unchanged form says so and leads the same way", () => {
    const { status, headers } = answer({ ...saved, kind: "unchanged" } as Outcome, request, signer);
    expect(status).toBe(303);
    expect(decodeURIComponent(headers["set-cookie"] ?? "")).toContain(
      "Nothing was changed in Station MV-014, Otter Weir.",
    );
  });

  test("below a mount every address begins with it", () => {
    const mounted = { ...request, frame: { ...request.frame, base: "/records" } };
    expect(answer(saved, mounted, signer).headers.location).toBe("/records/stations");
  });

  test.each([
    [notFound, "no-such-record", 404],
    [refused, "may-not-open", 403],
    [refused, "malformed-key", 400],
    [refused, "body-too-large", 413],
    [refused, "wrong-content-type", 415],
    [failed, "database-away", 503],
  ] as const)("%p for %s is %d, a page with a way back", (outcome, code, status) => {
    const response = answer(outcome(code, stationPage), request, signer);
    expect(response.status).toBe(status);
    expect(response.body).toMatch(/<a href="\/(stations)?">/);
  });

  test("a method that is not taken is told the others", () => {
    const outcome = refused("method-not-allowed", stationPage, { allow: "GET, HEAD, POST" });
    const response = answer(outcome, request, signer);
    expect(response).toMatchObject({ status: 405, headers: { allow: "GET, HEAD, POST" } });
  });

  test("a refused form's values are shown to be copied, escaped", () => {
    const typed = new Map([
      ["notes", "<b>hours of work</b>"],
      ["unknown", "x"],
    ]);
    const { body } = answer(refused("form-not-yours", stationPage, { typed }), request, signer);
    expect(body).toContain("<dt>Notes</dt><dd>&lt;b&gt;hours of work&lt;/b&gt;</dd>");
    expect(body).not.toContain("unknown");
  });

  test("a stranger is sent to sign in and back; a stranger's form is answered, not redirected", () => {
    const stranger = refused("signed-out", stationPage);
    const get = answer(stranger, { ...request, method: "GET" }, signer);
    expect(get).toMatchObject({ status: 303, headers: { location: "/sign-in?next=%2Fstations%2FMV-014%2Fedit" } });
    expect(answer(stranger, request, signer).status).toBe(401);
  });
});
