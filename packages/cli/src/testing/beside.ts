import { expect } from "@jest/globals";
import { Chance, freshDatabase, type TestDatabase } from "@loyal-quill/testing";
import pg from "pg";
import { type Application, personHeader } from "./exported.js";
import { type Seen, seen } from "./seen.js";

/* A served page and an exported one beside each other: the same requests go to both, each over a database of its own that began the same. */

export const hollis = {
  id: "hollis",
  name: "Hollis Brandt",
  roles: ["hydrologist"],
  region_id: "2",
  team: "hydrology",
};
export const tamsin = { id: "tamsin", name: "Tamsin Okoro", roles: ["technician"], region_id: "3", team: "field" };
export const dara = { id: "dara", name: "Dara Lindqvist", roles: ["duty-officer"], region_id: null, team: "duty" };
export type Person = typeof hollis | typeof tamsin | typeof dara;

/** One of the two applications with its database. */
export interface Side {
  readonly made: TestDatabase;
  readonly owner: pg.Client;
  readonly application: Application;
}

/** One of the two, over a database of its own. @param sql what is in it besides the demo */
export async function side(
  start: (database: string) => Promise<Application>,
  sql: readonly string[],
  template: Parameters<typeof freshDatabase>[0] = "marrow_vale",
): Promise<Side> {
  const made = await freshDatabase(template);
  const owner = new pg.Client(made.owner);
  await owner.connect();
  for (const statement of sql) await owner.query(statement);
  try {
    return { made, owner, application: await start(made.pages) };
  } catch (error) {
    await owner.end();
    await made.drop();
    throw error;
  }
}

export async function ended({ application, owner, made }: Side): Promise<void> {
  await application.stop();
  await owner.end();
  await made.drop();
}

export interface Answered {
  readonly status: number;
  readonly location: string | null;
  readonly caching: string | null;
  readonly allow: string | null;
  readonly type: string | null;
  /** The line that it leaves for the page after it. */
  readonly left: string | null;
  readonly seen: Seen;
  /** What a fault says of itself. */
  readonly fault: string | null;
}

function lineLeft(response: Response): string | null {
  for (const cookie of response.headers.getSetCookie()) {
    const [, name = "", value = ""] = /^([^=]+)=([^;]*)/.exec(cookie) ?? [];
    if (name === "page_said" && value !== "") return decodeURIComponent(value).replace(/^\S+ /, "");
    if (name === "quill_said" && value !== "")
      return (JSON.parse(decodeURIComponent(value.slice(value.indexOf(".") + 1))) as { text: string }).text;
  }
  return null;
}

export async function ask(
  { application }: Side,
  address: string,
  person: Person | null,
  body?: string,
  more: RequestInit = {},
): Promise<Answered> {
  const response = await fetch(`${application.origin}${address}`, {
    method: body === undefined ? "GET" : "POST",
    redirect: "manual",
    ...(body === undefined ? {} : { body }),
    ...more,
    headers: {
      ...(person ? { [personHeader]: JSON.stringify(person) } : {}),
      ...(body === undefined ? {} : { "content-type": "application/x-www-form-urlencoded" }),
      ...(more.headers as Record<string, string> | undefined),
    },
  });
  const text = await response.text();
  return {
    status: response.status,
    location: response.headers.get("location"),
    caching: response.headers.get("cache-control"),
    allow: response.headers.get("allow"),
    type: response.headers.get("content-type"),
    left: lineLeft(response),
    seen: seen(text),
    fault: response.status >= 500 && response.status !== 503 ? text.slice(0, 1000) : null,
  };
}

/** What is compared of an answer: all that people see and programs go by, but the form's token. */
export const compared = ({ seen: { sends: _, ...rest }, ...answered }: Answered) =>
  withoutClock({ ...answered, ...rest });

/** Moments of these days, as triggers write them by the clock, are each side's own. The day before is one of them: a test may run over midnight. */
function withoutClock<Value>(value: Value): Value {
  const days = [0, 86_400_000].map((back) => new Date(Date.now() - back).toISOString().slice(0, 10));
  const moments = new RegExp(`(${days.join("|")})[ T]\\d\\d:\\d\\d:\\d\\d(\\.\\d+)?`, "g");
  return JSON.parse(JSON.stringify(value).replaceAll(moments, "now")) as Value;
}

export const bodyOf = ({ sends }: Seen, edits: Readonly<Record<string, string | null>>): string => {
  const values = new Map<string, string | null>(sends);
  for (const [name, value] of Object.entries(edits))
    values.set(sends.has(`column.${name}`) ? `column.${name}` : name, value);
  return new URLSearchParams(
    [...values].flatMap(([name, value]): [string, string][] =>
      value === null ? [] : [[name, value.replaceAll(/\r\n?|\n/g, "\r\n")]],
    ),
  ).toString();
};

/** A record as it is stored, and the log's entries of it, newest last; the moment and what it is chained to are each database's own. */
async function stored({ owner }: Side, table: string, key: Readonly<Record<string, string>>): Promise<unknown> {
  const where = Object.keys(key)
    .map((name, index) => `"${name}"::text = $${index + 1}`)
    .join(" AND ");
  const { rows } = await owner.query(`SELECT to_jsonb(t) AS row FROM ${table} AS t WHERE ${where}`, Object.values(key));
  const { rows: entries } = await owner.query(
    "SELECT actor_id, actor_name, page, page_version, table_name, record_key, new_key, operation, fields, reason, way, request_id IS NOT NULL AS requested FROM quill_log.change WHERE table_name = $1 AND record_key @> $2 ORDER BY id",
    [table.replaceAll('"', ""), JSON.stringify(key)],
  );
  return withoutClock({ row: rows[0]?.row ?? null, entries });
}

/** Where a record is stored. */
export interface Stored {
  readonly table: string;
  readonly key: Readonly<Record<string, string>>;
}

/** Sends one form to both, opened by the same person, and compares. @returns what the served page answered */
export async function both(
  sides: readonly Side[],
  address: string,
  of: Stored | null,
  person: Person,
  edits: Readonly<Record<string, string | null>>,
  between: (side: Side) => Promise<unknown> = async () => {},
): Promise<Answered> {
  const answers: Answered[] = [];
  for (const each of sides) {
    const opened = await ask(each, address, person);
    await between(each);
    answers.push(opened, await ask(each, address, person, bodyOf(opened.seen, edits)));
  }
  const [servedOpened, servedSaved, plainOpened, plainSaved] = answers as [Answered, Answered, Answered, Answered];
  expect(compared(plainOpened)).toEqual(compared(servedOpened));
  expect(compared(plainSaved)).toEqual(compared(servedSaved));
  expect([...plainOpened.seen.wrongIds, ...plainSaved.seen.wrongIds]).toEqual([]);
  if (of) {
    const [servedSide, plainSide] = sides as [Side, Side];
    expect(await stored(plainSide, of.table, of.key)).toEqual(await stored(servedSide, of.table, of.key));
  }
  return servedSaved;
}

/** What people and programs may send for a control, by its kind: sound, odd and wrong. */
const texts: Readonly<Record<string, readonly string[]>> = {
  text: [
    "",
    " ",
    "Otter Weir",
    "  two  spaces ",
    "é ü 𝛼",
    "<b>&amp;'</b>",
    "12",
    "-0.00",
    "007",
    "1e3",
    "1,234.5",
    "2.345",
    "9999999999",
    "abc\0",
    "true",
    "01632 960018",
    "x".repeat(70),
    "a@b.example",
    "https://b.example/?x=1#y",
    "HTTP://",
    "5",
    "95",
    "0.5",
    "-3",
    "6f0e8f5e-0d3b-4b53-9d5c-3f6d6f2d3c11",
    "6F0E8F5E-0d3b-4b53-9d5c-3f6d6f2d3c12",
    "n o t  \t t a b",
    "High water: Straße & Łódź – 3 m",
    "---",
    "31.03.2026",
    "2026-02-29 10:00",
    "$1",
  ],
  date: ["", "2024-02-29", "2026-02-29", "0000-01-01", "1.2.2026", "9999-12-31", "12026-01-01"],
  "datetime-local": [
    "",
    "2026-07-01T12:30",
    "2026-07-01T12:30:00",
    "2026-07-01 12:30:15.250",
    "2026-03-29T01:30",
    "2026-10-25T01:30",
    "2026-10-25 01:30+01:00",
    "2026-10-25T01:30:00Z",
    "2026-13-01T00:00",
    "now",
    "2026-02-30T10:00",
  ],
  textarea: ["", "one\ntwo", "\n begins", '{"a": [1, 2]}', "{'a': 1}", "{}", "z".repeat(2001), "tab\there"],
  checkbox: ["true", "false", "on"],
  radio: ["", "small", "large", "huge"],
  select: [""],
};

/** A value of the kind of these that is none of them. */
const notOffered = (values: readonly string[]): string => {
  const last = values.at(-1) ?? "";
  if (/^\d+$/.test(last)) return "32001";
  return /^[0-9a-f-]{36}$/.test(last) ? "6f0e8f5e-0d3b-4b53-9d5c-3f6d6f2d3c19" : "nothing";
};

/** Sends forms with fields filled by chance to both sides, one after the other: what is stored by one is what the next begins with. @param before SQL that is run on both before each; alone: what is changed with nothing else */
export async function byChance(
  sides: readonly Side[],
  page: string,
  records: readonly (readonly [address: string, of: Stored | null])[],
  rounds: number,
  seed: number,
  { before, alone = [] }: { readonly before?: string | undefined; readonly alone?: readonly string[] } = {},
): Promise<Readonly<Record<number, number>>> {
  const chance = new Chance(seed);
  const statuses: Record<number, number> = {};
  for (let round = 0; round < rounds; round += 1) {
    const [address, of] = chance.one(records);
    const person = chance.one([hollis, tamsin]);
    if (before !== undefined) for (const { owner } of sides) await owner.query(before);
    // Files are sent in parts, by a test of their own.
    const fields = (await ask(sides[0] as Side, address, person)).seen.fields.filter(({ kind }) => kind !== "file");
    let edits: Record<string, string | null> = {};
    for (const { name, kind, options } of chance.some(fields, 1 + chance.whole(3))) {
      const values = [...(texts[kind] ?? []), ...options.map(([value]) => value)];
      edits[name] = chance.one(values);
      if (chance.is(0.05)) edits[name] = null;
      // Where both sides tell different things beside other faults (docs/exporting.md), it is sent alone.
      if (alone.includes(name)) {
        edits = { [name]: chance.one(values) };
        break;
      }
      // What is not offered is told by exported code whatever else is wrong: it is sent alone.
      if (options.length > 0 && chance.is(0.1)) {
        edits = { [name]: notOffered(options.map(([value]) => value)) };
        break;
      }
    }
    const answer = await both(sides, address, of, person, edits).catch((error: Error) => {
      throw new Error(`${page}, round ${round}, ${JSON.stringify(edits)}: ${error.message}`);
    });
    statuses[answer.status] = (statuses[answer.status] ?? 0) + 1;
  }
  return statuses;
}
