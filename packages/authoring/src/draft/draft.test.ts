import { describe, expect, test } from "@jest/globals";
import { bindPage } from "@loyal-quill/core/page/bind";
import { parsePage } from "@loyal-quill/core/page/parse";
import { referencedChoices } from "@loyal-quill/core/settings/bound/column-choices";
import type { Column, Table } from "@loyal-quill/core/table/model";
import { catalog, river, sensor, station } from "@loyal-quill/core/testing/marrow-vale";
import { draftPages } from "./draft.js";

const draftOf = (name: string): string => draftPages(catalog, [name]).drafts[0]?.text ?? "";

describe("a draft", () => {
  test("of a table with a natural key is short, reads well and says what it leaves to the table", () => {
    expect(
      draftOf("network.station"),
    ).toBe(`# Drafted from network.station. What the table says (types, lengths, choices, constraints) holds without being written here.
format: loyal-quill/page@1
title: "Station {code}, {name}"
plural: Stations
path: "/station/{code}"
record: { table: network.station, key: code }
# Everybody who is signed in may open this page and edit every record. To narrow it:
# access: { open: actor.roles.exists(r, r in ["…"]), rows: row.… == actor.…, edit: row.… != "…", new: true, delete: true } # in the place of the next line
access: { new: true }
list: { columns: [ code, name, river_id, region_id, grid_reference, status ], filter: [ river_id, status, telemetry ] }
fields:
  - code
  - name
  - river_id
  - region_id
  - grid_reference
  - status
  - alert_m: { label: Alert, unit: m }
  - warning_m: { label: Warning, unit: m }
  - telemetry
  - installed_on
  - notes: { control: multi-line }
answer: { saved: view }
texts: { new: New station, add: Add station }
`);
  });

  test("increments a version number for optimistic locking with each save, and shows it to nobody", () => {
    const [id, name] = river.columns as [Column, Column];
    const number = (more: Partial<Column>): Column => ({ ...id, default: null, written: "freely", ...more });
    const drafted = (column: Column, more: Partial<Table> = {}) =>
      draftPages({ tables: [{ ...river, columns: [id, name, column], ...more }], unusable: [] }).drafts[0]?.text ?? "";
    const counted = drafted(number({ name: "lock_version", default: "0" }));
    expect(counted).toContain("set: { lock_version: { to: form.lock_version + 1, on: save } }");
    expect(counted).not.toContain("- lock_version");
    expect(counted).not.toMatch(/columns: .*lock_version/);
    expect(drafted(number({ name: "version" }))).toContain(
      'set: { version: "form.version == null ? 0 : form.version + 1" }',
    );
    // What may be something else, or is done by the table itself, is left as it is.
    expect(drafted(number({ name: "version", nullable: true }))).toContain("- version");
    expect(drafted(number({ name: "lock_version", default: "0" }), { triggersUpdates: true })).not.toContain("set:");
  });

  test("asks for what names say: addresses are judged, and what marks a record as deleted is no field", () => {
    const [id, text] = river.columns as [Column, Column];
    const moment: Column = {
      ...text,
      type: { ...text.type, kind: "timestamptz", shown: "timestamp with time zone", cast: "timestamptz" },
      nullable: true,
      default: null,
    };
    const truth: Column = { ...moment, type: { ...moment.type, kind: "boolean", shown: "boolean" } };
    const drafted = (...columns: readonly Column[]) =>
      draftPages({ tables: [{ ...river, columns: [id, text, ...columns] }], unusable: [] }).drafts[0]?.text ?? "";
    const named = drafted(
      ...["email", "contact_email", "billingEmail", "voicemail", "website", "url"].map((name) => ({ ...text, name })),
    );
    expect(named).toContain("- email: { rules: [ e-mail ] }");
    expect(named).toContain("- contact_email: { rules: [ e-mail ] }");
    expect(named).toContain("- billingEmail: { rules: [ e-mail ] }");
    expect(named).toMatch(/- voicemail$/m);
    expect(named).toContain("- website: { rules: [ web-address ] }");
    expect(named).toMatch(/- url$/m);
    const marked = drafted({ ...moment, name: "deleted_at" });
    expect(marked).toContain("To leave those out: access: { rows: row.deleted_at == null }");
    expect(marked).not.toMatch(/- deleted_at|columns: .*deleted_at/);
    expect(drafted({ ...truth, name: "is_deleted" })).toContain("access: { rows: row.is_deleted != true }");
    // With a value in every record it marks something else.
    expect(drafted({ ...moment, name: "deleted_at", nullable: false })).toContain("- deleted_at");
    expect(drafted({ ...text, name: "deleted_at" })).toContain("- deleted_at");
  });

  test("says how a code is written whose pattern the table has", () => {
    const [id, text] = river.columns as [Column, Column];
    const matches = (column: string, pattern: string) =>
      ({ constraint: "c", column, by: "matches", values: [pattern, `^${pattern}$`] }) as const;
    const drafted = draftPages({
      tables: [
        {
          ...river,
          columns: [id, text, { ...text, name: "code" }, { ...text, name: "address" }],
          demands: [matches("code", "MV-[0-9]{3}"), matches("address", "[^@]+@[^@]+")],
        },
      ],
      unusable: [],
    }).drafts[0]?.text;
    expect(drafted).toContain("- code: { help: Like MV-123. }");
    expect(drafted).toMatch(/- address$/m);
  });

  test("sets nothing that is part of the key", () => {
    const [id, text] = river.columns as [Column, Column];
    const version: Column = { ...id, name: "version", default: "1", written: "freely" };
    const [key] = river.keys;
    const drafted = (columns: readonly string[]) =>
      draftPages({
        tables: [{ ...river, columns: [id, text, version], keys: key ? [{ ...key, columns }] : [] }],
        unusable: [],
      }).drafts[0]?.text;
    expect(drafted(["id"])).toContain("set: { version:");
    expect(drafted(["id", "version"])).not.toContain("set:");
  });

  test("cleans up what is typed where the table wants it in upper or lower case, or without spaces around it", () => {
    const [id, text] = river.columns as [Column, Column];
    const kept = (column: string, form: string) =>
      ({ constraint: "c", column, by: "matches", values: ["[^a-z]*", form, form] }) as const;
    const drafted = draftPages({
      tables: [
        {
          ...river,
          columns: [id, text, { ...text, name: "code" }, { ...text, name: "address" }, { ...text, name: "plain" }],
          demands: [kept("code", "upper-case"), kept("code", "spaces-around"), kept("address", "lower-case")],
        },
      ],
      unusable: [],
    }).drafts[0]?.text;
    expect(drafted).toContain("- code: { tidy: [ trim, upper ] }");
    expect(drafted).toContain("- address: { tidy: [ lower ] }");
    expect(drafted).toMatch(/- plain$/m);
  });

  test("has ranges in its list, which are told by their ends", () => {
    const [id, text] = river.columns as [Column, Column];
    const range = (cast: string): Column => ({
      ...text,
      name: cast,
      type: { ...text.type, kind: "other", shown: cast, cast },
    });
    const drafted = draftPages({
      tables: [{ ...river, columns: [id, text, range("daterange"), range("numrange")] }],
      unusable: [],
    }).drafts[0]?.text;
    expect(drafted).toContain("columns: [ name, daterange ]");
    expect(drafted).toMatch(/- daterange$/m);
    expect(drafted).toContain('- numrange: { help: "From, and up to but not including: [1,10)." }');
  });

  test("groups columns that begin alike, puts long texts last, and drops what a reference's name says twice", () => {
    const text = river.columns[1] as Column;
    const columns = [
      river.columns[0] as Column,
      ...["remarks", "address_line", "address_town", "address_code", "river_code", "width_m", "name"].map((name) => ({
        ...text,
        name,
        ...(name === "width_m" ? { type: { ...text.type, kind: "decimal" as const } } : {}),
      })),
    ];
    const references = [
      {
        constraint: "r",
        columns: ["river_code"],
        to: { schema: "network", table: "river", columns: ["id"] },
        onDelete: "no action" as const,
      },
    ];
    const drafted = draftPages({ tables: [{ ...river, columns, references }], unusable: [] }).drafts[0]?.text ?? "";
    expect(drafted.split("fields:\n")[1]?.split("answer:")[0]).toBe(`  - address_line: { label: Line, group: Address }
  - address_town: { label: Town, group: Address }
  - address_code: { label: Code, group: Address }
  - river_code: { label: River }
  - width_m: { label: Width, unit: m }
  - name
  - remarks: { control: multi-line }
`);
  });

  test("is sound as it is, for every table", () => {
    const { drafts, without } = draftPages(catalog);
    expect(without).toEqual([]);
    expect(drafts.map(({ name }) => name)).toEqual(["river", "sensor", "station"]);
    for (const { name, text } of drafts) {
      const parsed = parsePage(text);
      if (!parsed.ok) throw new Error(`${name}: ${JSON.stringify(parsed.findings)}`);
      const codes = bindPage(name, "v1", parsed.page, catalog).findings.map(({ code }) => code);
      // Who may open it, nobody can tell from a table.
      expect([name, codes]).toEqual([name, ["open-to-everybody"]]);
    }
  });

  test("leaves a number that the table gives off the form, and names the record by what tells most, and apart from others of its name", () => {
    expect(draftOf("river")).toContain('title: "River {name}, {id}"');
    const unique = { ...river, keys: [...river.keys, { constraint: "one_name", columns: ["name"], primary: false }] };
    expect(draftPages({ tables: [unique], unusable: [] }).drafts[0]?.text).toContain('title: "River {name}"');
    expect(draftOf("river")).not.toContain("  - id");
  });

  test("has the plurals of English in its list's title, and no number or uuid there that nobody reads", () => {
    const titles = ["person", "people", "gauge_house", "Status", "survey"].map((name) => {
      const { text = "" } = draftPages({ tables: [{ ...river, name }], unusable: [] }).drafts[0] ?? {};
      return /^title: "?(.*) \{name\}, \{id\}"?\nplural: (.*)$/m.exec(text)?.slice(1).join(", ");
    });
    expect(titles).toEqual([
      "Person, People",
      "Person, People",
      "Gauge house, Gauge houses",
      "Status, Statuses",
      "Survey, Surveys",
    ]);
    expect(draftOf("river")).toContain("list: { columns: [ name");
    const uuid = { shown: "uuid", cast: "uuid", kind: "uuid" as const, maxLength: null, precision: null, scale: null };
    const traced = river.columns.map((column) =>
      column.name === "name" ? column : { ...column, type: { ...uuid, labels: [] } },
    );
    const { text } = draftPages({ tables: [{ ...river, columns: traced }], unusable: [] }).drafts[0] ?? {};
    expect(text).toContain("list: { columns: [ name ] }");
  });

  /** A table of texts by their names, beside a number that it gives. */
  const named = (...names: readonly string[]) => ({
    ...river,
    columns: [
      river.columns[0] as Column,
      ...names.map((name): Column => ({ ...(river.columns[1] as Column), name, nullable: false })),
    ],
  });
  const titleOf = (table: Table): string | undefined =>
    /^title: "?(.*?)"?$/m.exec(draftPages({ tables: [table], unusable: [] }).drafts[0]?.text ?? "")?.[1];

  test.each<readonly [readonly string[], string]>([
    [["first_name", "surname", "email"], "surname"],
    [["first_name", "full_name"], "full_name"],
    [["first_name"], "first_name"],
    [["username", "title"], "title"],
    [["isbn", "title"], "title"],
    [["api_token", "email"], "email"],
  ])("of the columns %j a record is called by what tells most, and never by a secret", (names, telling) => {
    expect(titleOf(named(...names))).toBe(`River {${telling}}, {id}`);
  });

  test("takes the title beside a surname for the way that somebody is spoken to, and a name that the table makes for one", () => {
    const { columns, ...table } = named("title", "surname", "display_name");
    const told = columns.map((column) =>
      column.name === "display_name" ? { ...column, nullable: true, written: "always" as const } : column,
    );
    expect(titleOf({ ...table, columns: told })).toBe("River {display_name}, {id}");
    expect(titleOf({ ...table, columns: told.slice(0, 3) })).toBe("River {surname}, {id}");
  });

  test("a record that only a uuid names is called by what it belongs to and when; a uuid that refers to another one is a field", () => {
    const uuid = {
      shown: "uuid",
      cast: "uuid",
      kind: "uuid" as const,
      maxLength: null,
      precision: null,
      scale: null,
      labels: [],
    };
    const moment = { ...uuid, shown: "date", cast: "date", kind: "date" as const };
    const plain = { ...(river.columns[1] as Column), nullable: false };
    const id = { ...plain, name: "id", type: uuid, default: "gen_random_uuid()" };
    const columns = [
      id,
      { ...plain, name: "created_at", type: moment, default: "now()" },
      { ...plain, name: "river_id", type: (river.columns[0] as Column).type },
      { ...plain, name: "held_on", type: moment },
    ];
    const to = { schema: "network", table: "river", columns: ["id"] };
    const references = [{ constraint: "r", columns: ["river_id"], to, onDelete: "no action" as const }];
    const keys = [{ constraint: "k", columns: ["id"], primary: true }];
    const party = { ...river, name: "work_party", columns, references, keys };
    expect(titleOf(party)).toBe("Work party {river_id}, {held_on}");
    const helper = {
      ...party,
      name: "helper",
      columns: [
        { ...id, name: "party", default: null },
        { ...plain, name: "hours" },
      ],
      references: [
        { constraint: "p", columns: ["party"], to: { ...to, table: "work_party" }, onDelete: "cascade" as const },
      ],
      keys: [{ constraint: "k", columns: ["party"], primary: true }],
    };
    const { text = "" } = draftPages({ tables: [helper], unusable: [] }).drafts[0] ?? {};
    expect(text.split("fields:\n")[1]).toContain("  - party\n");
    expect(text).toContain("access: { new: true }");
    // Nobody reads a uuid in a list of choices.
    expect(referencedChoices(helper.columns[0] as Column, helper, [party])?.label.name).toBe("held_on");
  });

  test("names are told apart by their schemas, and stay out of the application's own addresses", () => {
    const other = { ...river, schema: "office" };
    const { drafts } = draftPages({ tables: [river, other, { ...sensor, name: "workbench" }], unusable: [] });
    expect(drafts.map(({ name }) => name)).toEqual(["river", "office-river", "network-workbench"]);
  });

  test("without a safe key there is none, and it is said why", () => {
    const unsafeKeys = [
      { constraint: "station_grid", columns: ["grid_reference"], because: "grid_reference may be null" },
    ];
    expect(draftPages({ tables: [{ ...station, keys: [], unsafeKeys }], unusable: [] }).without).toEqual([
      {
        table: "network.station",
        because: "it needs a primary key; station_grid is no safe key: grid_reference may be null",
      },
    ]);
  });
});
