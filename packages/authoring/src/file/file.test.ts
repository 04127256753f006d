import { describe, expect, test } from "@jest/globals";
import type { Edit } from "@loyal-quill/core/findings/edit";
import { bindPage } from "@loyal-quill/core/page/bind";
import { parsePage } from "@loyal-quill/core/page/parse";
import { cut } from "@loyal-quill/core/page/text-parts";
import { describedSettings } from "@loyal-quill/core/settings/index";
import { catalog, stationFile } from "@loyal-quill/core/testing/marrow-vale";
import fc from "fast-check";
import { editWhole } from "./edit.js";
import {
  CanNotEdit,
  comparedLines,
  contentOf,
  differenceInWords,
  differences,
  editPageFile,
  editsFor,
  mergePageFiles,
} from "./index.js";

/** What an edit does to the stations' file, as the lines that went and came. */
function lines(edits: readonly Edit[], text = stationFile): string[] {
  const after = editPageFile(text, edits).split("\n");
  const before = text.split("\n");
  return [
    ...before.filter((line) => !after.includes(line)).map((line) => `- ${line.trim()}`),
    ...after.filter((line) => !before.includes(line)).map((line) => `+ ${line.trim()}`),
  ];
}

const isSound = (text: string): boolean => {
  const parsed = parsePage(text);
  return parsed.ok && bindPage("station", "v", parsed.page, catalog).page !== null;
};

const commented = `# The stations.
format: loyal-quill/page@1
title:   "Station {code}, {name}"   # odd layout, kept
path: /stations/{code}
record: {table: network.station, key: code}

fields:
  # The key comes first.
  - code
  - name:   { label: Station name, rules: [required] }   # asked for by the office
  - notes:
      control: multi-line
      # Long enough for a visit.
      rules: [{ max-length: 2000 }]
`;

describe("editing a page file's text", () => {
  test("a setting of a field is set, changed and taken away in its own line", () => {
    expect(lines([{ do: "set", path: ["fields", "status", "label"], value: "State" }])).toEqual([
      "- - status",
      "+ - status: { label: State }",
    ]);
    const labelled = editPageFile(stationFile, [{ do: "set", path: ["fields", "status", "label"], value: "State" }]);
    expect(editPageFile(labelled, [{ do: "set", path: ["fields", "status", "label"], value: undefined }])).toBe(
      stationFile,
    );
  });

  test("comments, odd layout and order stay in every line that is not spoken of", () => {
    const after = editPageFile(commented, [
      { do: "set", path: ["fields", "code", "help"], value: "As on the plate" },
      { do: "set", path: ["fields", "notes", "rules"], value: undefined },
    ]);
    expect(after).toContain('title:   "Station {code}, {name}"   # odd layout, kept');
    expect(after).toContain("- name:   { label: Station name, rules: [required] }   # asked for by the office");
    expect(after).toContain("  # The key comes first.\n  - code: { help: As on the plate }\n");
    expect(after).toContain("record: {table: network.station, key: code}\n\nfields:");
    expect(after).not.toContain("max-length");
  });

  test("fields are added, taken off and moved, several at once", () => {
    const after = editPageFile(commented, [
      { do: "add-fields", names: ["status", "alert_m"], before: "notes" },
      { do: "move-fields", names: ["name", "status"], before: "code" },
      { do: "remove-fields", names: ["alert_m"] },
    ]);
    const parsed = parsePage(after);
    expect(
      parsed.ok && parsed.page.file.fields.map((each) => (typeof each === "string" ? each : Object.keys(each)[0])),
    ).toEqual(["name", "status", "code", "notes"]);
    expect(after).toContain("# asked for by the office");
  });

  test("a check is added in a line of its own, at its place in the file, and goes with its list", () => {
    const check = { expect: "form.warning_m > form.alert_m", at: "warning_m", message: "Higher, please." };
    const after = editPageFile(`${commented}answer: { saved: list }\n`, [
      { do: "set", path: ["checks", 0], value: check },
    ]);
    expect(after.split("\n").slice(-4)).toEqual([
      "checks:",
      '  - { expect: form.warning_m > form.alert_m, at: warning_m, message: "Higher, please." }',
      "answer: { saved: list }",
      "",
    ]);
    expect(editPageFile(after, [{ do: "set", path: ["checks", 0], value: undefined }])).toBe(
      `${commented}answer: { saved: list }\n`,
    );
  });

  test("access is written a line for each condition, and goes when it is empty", () => {
    const open: Edit = { do: "set", path: ["access", "open"], value: '"technician" in actor.roles' };
    const after = editPageFile(commented, [open]);
    expect(after).toContain("\naccess:\n  open: '\"technician\" in actor.roles'\n");
    expect(editPageFile(after, [{ ...open, value: undefined }])).toBe(commented);
  });

  test("what can't be edited is said, and nothing is changed", () => {
    expect(() => editPageFile("title: [", [{ do: "remove-fields", names: [] }])).toThrow(CanNotEdit);
    expect(() => editPageFile(commented, [{ do: "set", path: ["fields", "gone", "label"], value: "x" }])).toThrow(
      'The page has no field "gone".',
    );
    expect(() => editPageFile(commented, [{ do: "set", path: ["title", "x"], value: "x" }])).not.toThrow(TypeError);
  });

  test("any text as a label comes back as it was given", () => {
    fc.assert(
      fc.property(fc.string({ minLength: 1, unit: "grapheme" }), (label) => {
        const after = editPageFile(commented, [{ do: "set", path: ["fields", "name", "label"], value: label }]);
        const [change, ...others] = differences(commented, after) ?? [];
        return label === "Station name" ? change === undefined : change?.after === label && others.length === 0;
      }),
    );
  });
});

describe("differences between page files", () => {
  test("are said setting by setting, in words", () => {
    const after = editPageFile(stationFile, [
      { do: "set", path: ["fields", "alert_m", "unit"], value: "cm" },
      { do: "remove-fields", names: ["notes"] },
      { do: "set", path: ["access", "delete"], value: 'row.status == "planned"' },
      { do: "move-fields", names: ["status"], before: "name" },
    ]);
    expect(
      differences(stationFile, after)?.map((difference) => differenceInWords(difference, describedSettings())),
    ).toEqual([
      'deletable when: “row.status == "planned"”',
      "unit of alert_m: “m” becomes “cm”",
      "field notes: removed",
      expect.stringMatching(/^order of the fields: /),
    ]);
  });

  test("bring themselves about in another text", () => {
    const after = editPageFile(stationFile, [
      { do: "set", path: ["fields", "status", "help"], value: "Ask first." },
      { do: "move-fields", names: ["notes"], before: "name" },
      { do: "set", path: ["title"], value: "Gauge {code}" },
    ]);
    let text = stationFile;
    for (const difference of differences(stationFile, after) ?? [])
      text = editPageFile(text, editsFor(difference, text));
    expect(differences(text, after)).toEqual([]);
  });

  test("are shown as text, line by line, with what stands next to them", () => {
    const after = editPageFile(commented, [{ do: "set", path: ["path"], value: "/gauges/{code}" }]);
    expect(comparedLines(commented, after, 1).map(({ kind, text }) => `${kind} ${text}`)).toEqual([
      'same title:   "Station {code}, {name}"   # odd layout, kept',
      "gone path: /stations/{code}",
      "new path: /gauges/{code}",
      "same record: {table: network.station, key: code}",
    ]);
    expect(comparedLines(commented, commented)).toEqual([]);
  });

  test("of a text that is no YAML are unknown", () => {
    expect(differences(stationFile, "a: [")).toBeUndefined();
  });
});

describe("merging two changes of one page file", () => {
  const label = (name: string, value: string): Edit => ({ do: "set", path: ["fields", name, "label"], value });

  test("of neighbouring fields, and of one field's different settings, keep both", () => {
    const mine = editPageFile(commented, [label("code", "Code"), label("name", "Gauge")]);
    const theirs = editPageFile(commented, [{ do: "set", path: ["fields", "name", "help"], value: "In full" }]);
    const { text, conflicts } = mergePageFiles(commented, mine, theirs);
    expect(conflicts).toEqual([]);
    expect(text).toContain("- code: { label: Code }");
    expect(text).toContain("label: Gauge");
    expect(text).toContain("help: In full");
    expect(text).toContain("# asked for by the office");
  });

  test("a new comment of one side comes along with a change of the other", () => {
    const { text } = mergePageFiles(
      commented,
      commented.replace("# The stations.", "# The stations, all of them."),
      editPageFile(commented, [label("notes", "Notes")]),
    );
    expect(text).toContain("# The stations, all of them.");
    expect(text).toContain("label: Notes");
  });

  test("lines that repeat by the thousand are not compared line by line", () => {
    const repeating = (from: number): string =>
      Array.from({ length: 4000 }, (_, index) => (index % 97 === from ? "b" : "a")).join("\n");
    const [base, mine, theirs] = [repeating(1), repeating(2), repeating(3)];
    const { text, conflicts } = mergePageFiles(base, mine, theirs);
    expect(text).toBe(theirs);
    expect(conflicts).toEqual([{ path: [], before: base, mine, theirs }]);
  });

  test("the same setting changed twice is a conflict with both values; what else changed is merged", () => {
    const mine = editPageFile(commented, [label("name", "Gauge"), label("code", "Code")]);
    const theirs = editPageFile(commented, [label("name", "Name of the station")]);
    const { text, conflicts } = mergePageFiles(commented, mine, theirs);
    expect(conflicts).toEqual([
      { path: ["fields", "name", "label"], before: "Station name", mine: "Gauge", theirs: "Name of the station" },
    ]);
    expect(text).toContain("Name of the station");
    expect(text).toContain("- code: { label: Code }");
  });

  test("a field that one side took off and the other changed is a conflict", () => {
    const mine = editPageFile(commented, [{ do: "remove-fields", names: ["name"] }]);
    const theirs = editPageFile(commented, [label("name", "Gauge")]);
    expect(mergePageFiles(commented, mine, theirs).conflicts).toHaveLength(1);
  });

  test("a text that can't be read is kept whole against the other", () => {
    const broken = commented.replace("title:", "title: [");
    const theirs = editPageFile(commented, [{ do: "set", path: ["title"], value: "x" }]);
    expect(mergePageFiles(commented, broken, theirs)).toEqual({
      text: theirs,
      conflicts: [{ path: [], before: commented, mine: broken, theirs }],
    });
  });

  test("changes of different parts, whichever they are, both come through", () => {
    const names = ["name", "river_id", "status", "alert_m", "notes"];
    const change = fc.record({
      name: fc.constantFrom(...names),
      setting: fc.constantFrom("label", "help"),
      value: fc.stringMatching(/^[a-z]{1,8}$/),
    });
    fc.assert(
      fc.property(fc.array(change, { maxLength: 4 }), fc.array(change, { maxLength: 4 }), (my, their) => {
        const edits = (of: typeof my): Edit[] =>
          of.map(({ name, setting, value }) => ({ do: "set", path: ["fields", name, setting], value }));
        const [mine, theirs] = [editPageFile(stationFile, edits(my)), editPageFile(stationFile, edits(their))];
        const { text, conflicts } = mergePageFiles(stationFile, mine, theirs);
        expect(isSound(text)).toBe(true);
        const got = differences(stationFile, text) ?? [];
        const want = [...(differences(stationFile, mine) ?? []), ...(differences(stationFile, theirs) ?? [])];
        const inConflict = (each: (typeof want)[number]) =>
          conflicts.some(({ path }) => path.join() === each.path.join());
        for (const each of want) if (!inConflict(each)) expect(got).toContainEqual(each);
        for (const each of got) expect(want).toContainEqual(each);
      }),
      { numRuns: 60 },
    );
  });
});

describe("an edit of one field", () => {
  const names = ["a", "b", "c"] as const;
  const entry = (name: string) =>
    fc.constantFrom(
      `  - ${name}\n`,
      `  - ${name}   # why\n`,
      `  - ${name}: { label: x, help: "y" }\n`,
      `  - ${name}:  {label: x}   # odd\n`,
      `  - ${name}:\n      # before\n      label: x\n      rules:\n        - required\n        - { max: 3 }\n`,
      `  - ${name}:\n      help: |\n        one\n        # no comment\n`,
    );
  const file = fc
    .record({
      comments: fc.array(fc.constantFrom("", "  # about the next\n", "\n"), { minLength: 4, maxLength: 4 }),
      entries: fc.tuple(...names.map(entry)),
      after: fc.constantFrom("", "list: {sort: a}\n", "# the end\n"),
    })
    .map(
      ({ comments, entries, after }) =>
        `title:   T # odd\nfields:\n${entries.map((each, index) => `${comments[index]}${each}`).join("")}${comments[3]}${after}`,
    );
  const edits = fc.record({
    name: fc.constantFrom(...names),
    path: fc.constantFrom<readonly (string | number)[]>(
      ["label"],
      ["help"],
      ["rules"],
      ["rules", 0],
      ["choices", "by"],
    ),
    value: fc.constantFrom<unknown>(undefined, "text", "two\nlines", ["required"], true),
  });

  const done = (run: () => string): string => {
    try {
      return run();
    } catch (error) {
      if (!(error instanceof CanNotEdit)) throw error;
      return `can't: ${error.message}`;
    }
  };

  test("on its own lines comes to what it would in the file as a whole", () => {
    fc.assert(
      fc.property(file, edits, (text, { name, path, value }) => {
        const edit: Edit[] = [{ do: "set", path: ["fields", name, ...path], value }];
        const [quick, whole] = [done(() => editPageFile(text, edit)), done(() => editWhole(text, edit))];
        expect(contentOf(quick) ?? quick).toEqual(contentOf(whole) ?? whole);
      }),
      { numRuns: 500 },
    );
  });

  test("leaves every line of the other fields as it was, however it is laid out", () => {
    fc.assert(
      fc.property(file, edits, (text, { name, path, value }) => {
        const after = done(() => editPageFile(text, [{ do: "set", path: ["fields", name, ...path], value }]));
        fc.pre(!after.startsWith("can't"));
        const entries = (of: string): string[] => cut(of)?.entries.map((each) => each.trim()) ?? [];
        const place = names.indexOf(name);
        expect(entries(after).toSpliced(place, 1)).toEqual(entries(text).toSpliced(place, 1));
      }),
      { numRuns: 500 },
    );
  });
});
