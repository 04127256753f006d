import { describe, expect, test } from "@jest/globals";
import fc from "fast-check";
import { tokenName } from "../page/names.js";
import { claimsOf, factsOf, formDigest, mv014, sensorPage, signer, stationPage } from "../testing/marrow-vale.js";
import { shownDigests, takenFields } from "./prefill.js";
import { read, type Submission } from "./read.js";
import type { Holder } from "./read-field.js";
import { readPairs } from "./read-pairs.js";
import { writeToken } from "./token.js";

const holder: Holder = {
  form: "edit",
  page: stationPage,
  key: ["MV-014"],
  actor: "hollis",
  session: "s1",
  now: new Date("2026-05-04T10:00:00Z"),
  formAge: 86_400_000,
};

/** What a browser sends for the station's form: CR LF in the notes, nothing for a box that is not ticked. */
const untouched: Record<string, string> = {
  [tokenName]: writeToken(claimsOf(), signer),
  name: "Otter Weir",
  river_id: "6",
  grid_reference: "MV 636 321",
  status: "live",
  alert_m: "2.70",
  warning_m: "3.37",
  "quill.box:telemetry": "",
  telemetry: "true",
  installed_on: "1987-03-02",
  notes: "\r\nTwo lines & a <tag>.\r\nThe end. ",
};

const body = (over: Record<string, string | undefined> = {}): string =>
  Object.entries({ ...untouched, ...over })
    .flatMap(([name, value]) =>
      value === undefined ? [] : [`${encodeURIComponent(name)}=${encodeURIComponent(value).replaceAll("%20", "+")}`],
    )
    .join("&");

function submitted(text: string, by: Holder = holder): Submission {
  const result = read(by, text, signer);
  if (!result.ok) throw new Error(result.reason);
  return result.submission;
}

const touched = (submission: Submission): string[] =>
  submission.fields.filter((each) => each.touched).map((each) => each.field.column.name);

describe("Read", () => {
  test("a form that comes back as it was shown is untouched, whatever the browser did to line breaks", () => {
    expect(touched(submitted(body()))).toEqual([]);
  });

  test("touching one field touches that field only", () => {
    const submission = submitted(body({ warning_m: "3.73" }));
    expect(touched(submission)).toEqual(["warning_m"]);
    expect(submission.fields.find((each) => each.touched)?.value).toBe("3.73");
  });

  test("the same value written differently is untouched", () => {
    expect(touched(submitted(body({ warning_m: " 3.370 ", name: "Otter  Weir " })))).toEqual([]);
  });

  test("a box that is no longer ticked sends nothing and is switched off", () => {
    const submission = submitted(body({ telemetry: undefined }));
    expect(touched(submission)).toEqual(["telemetry"]);
    expect(submission.fields.find((each) => each.touched)?.value).toBe("false");
  });

  test("a box that was not on the form is left alone", () => {
    expect(touched(submitted(body({ telemetry: undefined, "quill.box:telemetry": undefined })))).toEqual([]);
  });

  test("any other field that was not sent is left alone", () => {
    expect(touched(submitted(body({ name: undefined, notes: undefined })))).toEqual([]);
  });

  test("an emptied field is null", () => {
    const field = submitted(body({ notes: "" })).fields.find((each) => each.touched);
    expect(field?.field.column.name).toBe("notes");
    expect(field?.value).toBeNull();
  });

  test("tidying comes before reading", () => {
    const field = submitted(body({ name: "  Heron \t Lock " })).fields.find((each) => each.touched);
    expect(field?.value).toBe("Heron Lock");
  });

  test("names that are not on the form are not taken, the key is not taken from the form", () => {
    const submission = submitted(`${body()}&region_id=4&code=MV-001&admin=true`);
    expect(touched(submission)).toEqual([]);
    expect(submission.ignored).toEqual([
      ["region_id", "4"],
      ["code", "MV-001"],
      ["admin", "true"],
    ]);
    expect(submission.noticed).toHaveLength(3);
  });

  test("what is no value of the type keeps its text and gets a message", () => {
    const field = submitted(body({ installed_on: "2026-02-30" })).fields.find((each) => each.touched);
    expect(field).toMatchObject({ text: "2026-02-30", value: null, problem: { field: "installed_on" } });
  });

  test.each([
    ["missing", { [tokenName]: undefined }],
    ["changed", { [tokenName]: writeToken(claimsOf(), signer).replace("MV-014", "MV-001") }],
    ["another record's", { [tokenName]: writeToken(claimsOf({ key: ["MV-001"] }), signer) }],
    ["another person's", { [tokenName]: writeToken(claimsOf({ actor: "tamsin" }), signer) }],
    ["another page's", { [tokenName]: writeToken(claimsOf({ page: "sensor" }), signer) }],
    ["not a token", { [tokenName]: "x.y" }],
  ])("a token that is %s is refused, and what was typed is handed back", (_, over) => {
    const result = read(holder, body({ warning_m: "9.99", ...over }), signer);
    expect(result).toMatchObject({ ok: false, code: "form-not-yours" });
    expect(!result.ok && result.typed.get("warning_m")).toBe("9.99");
  });

  test("a field that was sent twice is refused", () => {
    expect(read(holder, `${body()}&name=Other`, signer)).toMatchObject({
      ok: false,
      code: "form-broken",
      reason: '"name" was sent more than once',
    });
  });

  test.each(["name=%", "name=%FF", "name=%C3%28", "%ED%A0%80=1"])("%s is refused, not replaced", (text) => {
    expect(typeof readPairs(text)).toBe("string");
  });

  test("percent-encoding is read strictly, and plus is a space (URL Standard, 5.1)", () => {
    expect(readPairs("a+b=c%20d&e=%2B%C3%A9&f&=g&&h=i=j")).toEqual([
      ["a b", "c d"],
      ["e", "+é"],
      ["f", ""],
      ["", "g"],
      ["h", "i=j"],
    ]);
    for (const broken of ["a=%", "a=%G1", "%C3=x", "a=+%FF"])
      expect(readPairs(broken)).toBe("percent-encoding that is broken or not UTF-8");
  });

  test("more pairs than any form has are refused", () => {
    expect(typeof readPairs("a=1&".repeat(2001))).toBe("string");
  });

  test("a moment shown in local time is untouched when it comes back without its seconds", () => {
    const row = {
      station_code: "MV-014",
      channel: "1",
      offset_m: "0.0120",
      calibrated_at: "2026-07-01 09:30:00+00",
      settings: "{}",
    };
    const token = writeToken(
      claimsOf({
        page: "sensor",
        key: ["MV-014", "1"],
        shown: shownDigests(sensorPage, takenFields(sensorPage, "edit", row, factsOf()), row, formDigest),
      }),
      signer,
    );
    const sent = `${tokenName}=${encodeURIComponent(token)}&calibrated_at=2026-07-01T10%3A30&offset_m=0.012`;
    expect(touched(submitted(sent, { ...holder, page: sensorPage, key: ["MV-014", "1"] }))).toEqual([]);
  });

  test("any text comes through a browser's form submission untouched", () => {
    const letters = fc.string({
      unit: fc.constantFrom("a", "\r", "\n", "\r\n", " ", "\t", "<", "&", '"', "é", "🌊", "‏", "́"),
    });
    fc.assert(
      fc.property(letters, (stored) => {
        const shown = shownDigests(
          stationPage,
          takenFields(stationPage, "edit", { ...mv014, notes: stored }, factsOf()),
          { ...mv014, notes: stored },
          formDigest,
        );
        // HTML, 4.10.21.4: every line break of an entry's value becomes CR LF.
        const sent = stored.replaceAll(/\r\n|\r|\n/g, "\r\n");
        const submission = submitted(body({ [tokenName]: writeToken(claimsOf({ shown }), signer), notes: sent }));
        expect(touched(submission)).toEqual([]);
      }),
    );
  });
});
