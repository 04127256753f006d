import type { Actor, Facts } from "../condition/facts.js";
import { bindPage } from "../page/bind.js";
import type { Page } from "../page/page.js";
import { parsePage } from "../page/parse.js";
import type { Database, Row, Statement } from "../postgres/statement.js";
import { shownDigests, takenDigest, takenFields } from "../steps/prefill.js";
import { type Claims, type FieldDigest, fieldDigest } from "../steps/token.js";
import type { Catalog, Column, ColumnType, Kind, Table } from "../table/model.js";
import { Recorder } from "../trip/recording.js";
import type { PageRequest } from "../trip/request.js";
import type { Signer } from "../trip/signer.js";
import type { Trip } from "../trip/trip.js";
import type { Frame } from "../views/frame.js";

/** The tables of Marrow Vale as the catalogs would tell them, for tests that need no database. */

const type = (shown: string, kind: Kind, more: Partial<ColumnType> = {}): ColumnType => ({
  shown,
  cast: shown.replace(/\(.*\)/, ""),
  kind,
  maxLength: null,
  precision: null,
  scale: null,
  labels: [],
  ...more,
});

const column = (name: string, of: ColumnType, more: Partial<Column> = {}): Column => ({
  name,
  type: of,
  nullable: false,
  default: null,
  written: "freely",
  granted: { insert: true, update: true },
  comment: null,
  ...more,
});

const table = (name: string, of: Pick<Table, "columns" | "keys"> & Partial<Table>): Table => ({
  schema: "network",
  name,
  comment: null,
  unsafeKeys: [],
  references: [],
  dependents: [],
  constraints: [],
  demands: [],
  indexes: of.keys.map((key) => key.columns),
  trigrams: null,
  rows: 50,
  granted: { insert: true, update: true, delete: true },
  rewriteRules: [],
  ...of,
});

const text = type("text", "text");
const integer = type("integer", "integer");
const level = type("numeric(5,2)", "decimal", { precision: 5, scale: 2 });
const status = type("network.station_status", "enum", {
  cast: "network.station_status",
  labels: ["planned", "live", "suspended", "retired"],
});

export const river = table("river", {
  columns: [column("id", integer, { written: "always" }), column("name", text)],
  keys: [{ constraint: "river_pkey", columns: ["id"], primary: true }],
});

export const station = table("station", {
  columns: [
    column("code", text),
    column("name", type("character varying(60)", "text", { maxLength: 60 })),
    column("river_id", integer),
    column("region_id", integer),
    column("grid_reference", text),
    column("status", status),
    column("alert_m", level),
    column("warning_m", level),
    column("telemetry", type("boolean", "boolean")),
    column("installed_on", type("date", "date"), { nullable: true }),
    column("notes", text, { nullable: true }),
  ],
  keys: [{ constraint: "station_pkey", columns: ["code"], primary: true }],
  references: [
    {
      constraint: "station_river_id_fkey",
      columns: ["river_id"],
      to: { schema: "network", table: "river", columns: ["id"] },
      onDelete: "no action",
    },
  ],
  constraints: [
    {
      constraint: "station_grid_reference_key",
      kind: "unique",
      columns: ["grid_reference"],
      definition: "UNIQUE (grid_reference)",
    },
    {
      constraint: "station_levels",
      kind: "check",
      columns: ["alert_m", "warning_m"],
      definition: "CHECK (((warning_m > alert_m) AND (alert_m > 0)))",
    },
  ],
});

export const sensor = table("sensor", {
  columns: [
    column("station_code", text),
    column("channel", type("smallint", "integer")),
    column("offset_m", type("numeric(9,4)", "decimal", { precision: 9, scale: 4 })),
    column("calibrated_at", type("timestamp with time zone", "timestamptz"), { nullable: true }),
    column("settings", type("jsonb", "json")),
  ],
  keys: [{ constraint: "sensor_pkey", columns: ["station_code", "channel"], primary: true }],
});

export const catalog: Catalog = { tables: [river, sensor, station], unusable: [], routines: [] };

export const stationFile = `format: loyal-quill/page@1
title: "Station {code}, {name}"
plural: Stations
path: /stations/{code}
record: { table: network.station, key: code }
access:
  open: actor.roles.exists(r, r in ["hydrologist", "technician"])
  rows: row.region_id == actor.region_id
  edit: row.status != "retired"
  because: A retired station is kept as it was.
fields:
  - code
  - name: { label: Station name, tidy: [trim, single-spaces], rules: [required] }
  - river_id
  - grid_reference
  - status
  - alert_m: { unit: m }
  - warning_m: { label: Warning level, unit: m, help: Above the gauge's zero. }
  - telemetry
  - installed_on
  - notes: { control: multi-line }
checks:
  - { expect: form.warning_m > form.alert_m, at: warning_m, message: The warning level must lie above the alert level. }
answer: { message: "{code}, {name}, is saved." }
`;

const sensorFile = `format: loyal-quill/page@1
title: "Sensor {station_code}, channel {channel}"
path: /sensors/{station_code}/{channel}
record: { table: network.sensor, key: [station_code, channel] }
time-zone: Europe/London
fields: [station_code, channel, offset_m, calibrated_at, settings]
`;

/** The page of a page file that is known to be sound. */
export function pageOf(file: string, name = "station"): Page {
  const parsed = parsePage(file);
  if (!parsed.ok) throw new Error(JSON.stringify(parsed.findings));
  const { page, findings } = bindPage(name, "v1", parsed.page, catalog);
  if (!page) throw new Error(JSON.stringify(findings));
  return page;
}

export const stationPage = pageOf(stationFile);
export const sensorPage = pageOf(sensorFile, "sensor");

export const hollis: Actor = {
  id: "hollis",
  name: "Hollis Brandt",
  roles: ["hydrologist"],
  attributes: { region_id: 2 },
};

export const factsOf = (actor: Actor = hollis, row: Row = {}, form: Row = {}): Facts => ({
  actor,
  row,
  form,
  now: new Date("2026-05-04T10:00:00Z"),
});

export const mv014: Row = {
  code: "MV-014",
  name: "Otter Weir",
  river_id: "6",
  region_id: "2",
  grid_reference: "MV 636 321",
  status: "live",
  alert_m: "2.70",
  warning_m: "3.37",
  telemetry: "true",
  installed_on: "1987-03-02",
  notes: "\nTwo lines & a <tag>.\r\nThe end. ",
};

/** A row as it was loaded. */
export const recordOf = (row: Row) => ({ row, version: "1" });

/** The id of the form that {@link claimsOf} is about, and its digests. */
const formId = "6f0e8f5e-0d3b-4b53-9d5c-3f6d6f2d3c11";
export const formDigest: FieldDigest = (field, text) => fieldDigest(signer, formId)(field, text);

/** What a form of a station remembers. */
export const claimsOf = (over: Partial<Claims> = {}): Claims => ({
  id: formId,
  form: "edit",
  page: "station",
  version: "v1",
  key: ["MV-014"],
  actor: "hollis",
  session: "s1",
  row: "733",
  at: "2026-05-04T10:00:00.000Z",
  shown: shownDigests(stationPage, takenFields(stationPage, "edit", mv014, factsOf()), mv014, formDigest),
  taken: takenDigest(stationPage, "edit", Object.keys(mv014), signer),
  ...over,
});

/** Not secret and not strong, but as good as HMAC for what tests ask of it: another text, another signature. */
export const signer: Signer = {
  sign(said) {
    let [a, b] = [0x811c9dc5, 0x1000193];
    for (let index = 0; index < said.length; index++) {
      a = Math.imul(a ^ said.charCodeAt(index), 16_777_619) >>> 0;
      b = Math.imul(b ^ (said.charCodeAt(index) + a), 2_246_822_519) >>> 0;
    }
    return `${a.toString(36)}${b.toString(36)}`.padEnd(14, "0");
  },
  digests: (form) => (text) => signer.sign(`${form}${text}`),
};

/** A database that answers each statement by its purpose and remembers what it was sent. */
export function scripted(answers: Readonly<Record<string, readonly Row[] | Error>>): Database & { sent: Statement[] } {
  const sent: Statement[] = [];
  return {
    sent,
    transaction(run) {
      return run(this);
    },
    async run(statement) {
      sent.push(statement);
      const answer = answers[statement.purpose] ?? [];
      if (answer instanceof Error) throw answer;
      return answer;
    },
  };
}

/** A trip to station MV-014 on its page, as Hollis, over a database that answers by purpose. */
export const tripOf = (over: Partial<Trip> & { readonly database?: Database } = {}): Trip => {
  const { database = scripted({}), ...others } = over;
  return {
    page: stationPage,
    key: ["MV-014"],
    facts: factsOf(),
    request: requestOf(),
    recorder: new Recorder(() => 0),
    saved: [],
    undecided: [],
    dependencies: { database, signer, elapsed: () => 0, pause: async () => {}, formAge: 86_400_000 },
    ...others,
  };
};

/** The request of a form of MV-014. */
export const requestOf = (over: Partial<PageRequest> = {}): PageRequest => ({
  id: formId,
  at: new Date("2026-05-04T10:00:00Z"),
  method: "POST",
  path: "/stations/MV-014/edit",
  query: {},
  body: null,
  actor: hollis,
  session: "s1",
  said: null,
  signIn: "/sign-in",
  signInCarries: true,
  frame: frameOf(),
  ...over,
});

/** The frame of the demo's pages. */
export const frameOf = (over: Partial<Frame> = {}): Frame => ({
  base: "",
  application: "Marrow Vale",
  home: "/",
  language: "en",
  styleSheets: [],
  script: null,
  person: null,
  signOut: null,
  ...over,
});
