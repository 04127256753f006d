import { describe, expect, test } from "@jest/globals";
import { formPage } from "../html/form.js";
import { documentOf } from "../html/layout.js";
import { prefillFields } from "../steps/prefill.js";
import { frameOf, mv014, pageOf, recordOf, stationFile, tripOf } from "../testing/marrow-vale.js";
import { arabic } from "./ar.js";
import { german } from "./de.js";
import { english } from "./en.js";
import { type Language, message, word } from "./messages.js";

const places = (text: string): string[] => (text.match(/\{\w+\}/g) ?? []).sort();

describe.each([
  ["German", german],
  ["Arabic", arabic],
] as const)("the %s catalogue", (_, catalog) => {
  test("says everything that English says, with the same places", () => {
    for (const part of ["messages", "words"] as const) {
      const own: Readonly<Record<string, string>> = catalog[part];
      for (const [code, text] of Object.entries(english[part]))
        expect([code, places(own[code] ?? "")]).toEqual([code, places(text)]);
    }
    expect(Object.keys(catalog.titles)).toEqual(Object.keys(english.titles));
  });
});

describe("a page's language", () => {
  const page = (language: Language) => {
    const of = pageOf(stationFile.replace("plural: Stations", `plural: Stations\nlanguage: ${language}`));
    const problems = [{ field: "warning_m", message: message(language, "not-a-number", { label: "W" }) }];
    const fields = prefillFields(tripOf({ page: of }), "edit", recordOf(mv014));
    const frame = frameOf();
    const parts = formPage(
      {
        page: of,
        form: "edit",
        ids: "",
        back: null,
        kept: {},
        begins: {},
        reason: null,
        removable: false,
        key: ["MV-014"],
        title: "MV-014",
        fields,
        token: "t",
        problems,
        conflicts: [],
        locked: null,
        notice: null,
        certain: true,
        heading: null,
      },
      frame,
    );
    return documentOf(frame, parts);
  };

  test("decides its words, its messages and its direction", () => {
    expect(page("de")).toContain('<html lang="de" dir="ltr">');
    expect(page("de")).toContain('<button name="quill.save" accesskey="s">Aktualisieren</button>');
    expect(page("de")).toContain("W muss eine Zahl sein, wie 12,50.");
    expect(page("ar")).toContain('<html lang="ar" dir="rtl">');
    expect(page("ar")).toContain('<button name="quill.save" accesskey="s">تحديث</button>');
    expect(page("en")).toContain("Fix one error");
  });

  test("a place without a value stays empty", () => {
    expect(word("en", "records", {})).toBe(" records");
  });
});
