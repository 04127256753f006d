import { createServer, type Server } from "node:http";
import { type AddressInfo, connect as connectSocket } from "node:net";
import { fileURLToPath } from "node:url";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { bodyOf, Client, formOf, freshDatabase, type TestDatabase } from "@loyal-quill/testing";
import pg from "pg";
import { pino } from "pino";
import { type Application, createApplication, hashPassword } from "./index.js";

const password = "heron-weir-otter-19";
const mv014 = "/stations/MV-014/edit";
/** What must never come back as markup. */
const mark = "<img src=x onerror=alert(1)>";

let made: TestDatabase;
let application: Application;
let server: Server;
let owner: pg.Client;
let client: Client;
let base: string;
let form: Map<string, string>;

beforeAll(async () => {
  made = await freshDatabase();
  application = await createApplication({
    databaseUrl: made.pages,
    storeUrl: made.store,
    logUrl: made.reader,
    pages: fileURLToPath(new URL("../../../demo/pages", import.meta.url)),
    workbench: null,
    signingKeys: ["a key for tests, thirty-two bytes long"],
    name: "Marrow Vale",
    logger: pino({ level: "silent" }),
  });
  const account = { passwordHash: await hashPassword(password), attributes: { region_id: 2 }, active: true };
  await application.store.accounts.keep({
    ...account,
    id: "5e0c7a10-4b1d-4c55-9d0e-000000000003",
    email: "tamsin@marrow-vale.example",
    name: `Tamsin ${mark}`,
    roles: ["technician", "builder"],
  });
  server = createServer(application.app);
  server.keepAliveTimeout = 120_000;
  await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
  base = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  client = new Client(base);
  const signIn = formOf((await client.get("/sign-in")).text);
  await client.post("/sign-in", bodyOf(signIn, { email: "tamsin@marrow-vale.example", password }));
  owner = new pg.Client(made.owner);
  await owner.connect();
  form = formOf((await client.get(mv014)).text);
});

afterAll(async () => {
  server.closeAllConnections();
  await new Promise((resolve) => server.close(resolve));
  await Promise.all([application.close(), owner.end()]);
  await made.drop();
});

/** Every row of every table of the network, and the log, in one figure. */
async function everything(): Promise<string> {
  const tables = [
    "network.station",
    "network.sensor",
    "network.river",
    "network.region",
    "office.person",
    "office.bulletin",
    "field.visit",
    'legacy."InstrumentLoan"',
    "quill_log.change",
  ];
  const sums = tables.map(
    (table) =>
      `(SELECT md5(string_agg(r, '' ORDER BY r)) FROM (SELECT t::text || t.xmin::text AS r FROM ${table} AS t) AS x)`,
  );
  const { rows } = await owner.query<{ sum: string }>(`SELECT concat_ws(' ', ${sums.join(", ")}) AS sum`);
  return rows[0]?.sum ?? "";
}

interface Attack {
  readonly what: string;
  readonly path: string;
  readonly init?: RequestInit;
}

const urlencoded = { "content-type": "application/x-www-form-urlencoded" };
const post = (body: string, headers: Record<string, string> = urlencoded): RequestInit => ({
  method: "POST",
  body,
  headers,
});
const sql = [
  "' OR '1'='1",
  "'; DROP TABLE network.station; --",
  "1); DELETE FROM network.station; --",
  "\\'; SELECT pg_sleep(9); --",
  "$1",
  "%27%20OR%201=1",
  '"; --',
  "MV-014' UNION SELECT null--",
];
const odd = [
  "%00",
  "%FF%FE",
  "%C0%AF",
  "%ED%A0%80",
  "%E2%80%AE",
  "..%2f..%2fetc%2fpasswd",
  "%2e%2e",
  ".",
  "..",
  "~",
  "~~",
  "%",
  "%zz",
  "a".repeat(5000),
  "%F0%9F%8C%8A",
  "-1",
  "1e9",
  "NaN",
  "null",
  "__proto__",
  "constructor",
  "[object Object]",
];

const keys = [...sql.map(encodeURIComponent), ...odd];
const inKeys: Attack[] = keys.flatMap((key) => [
  { what: `key ${key.slice(0, 40)} of a station`, path: `/stations/${key}/edit` },
  { what: `key ${key.slice(0, 40)} of a sensor's channel`, path: `/sensors/MV-014/${key}/edit` },
]);

const inQueries: Attack[] = [...sql, mark, "\0", "%", "_", "\\", "x".repeat(6000)].flatMap((text) => [
  { what: `search ${text.slice(0, 30)}`, path: `/stations?q=${encodeURIComponent(text)}` },
  { what: `part ${text.slice(0, 30)}`, path: `/stations?part=${encodeURIComponent(text)}` },
]);
const oddQueries: Attack[] = [
  "q[]=1",
  "q[a]=1",
  "q=1&q=2",
  "part=-1",
  "part=99999999999999999999",
  "part=1.5",
  "sort=name;drop",
  "__proto__[x]=1",
  "q=%FF",
  "=",
  "&&&",
  "?",
].map((query) => ({ what: `query ${query}`, path: `/stations?${query}` }));

const methods: Attack[] = ["PUT", "DELETE", "PATCH", "OPTIONS", "PROPFIND", "HEAD"].flatMap((method) => [
  { what: `${method} to a record`, path: mv014, init: { method } },
  { what: `${method} to a list`, path: "/stations", init: { method } },
]);

/** Bodies that are sent to the record's address as they are. */
const bodies = (): Attack[] => {
  const token = `quill.token=${encodeURIComponent(form.get("quill.token") ?? "")}`;
  const claims = JSON.parse((form.get("quill.token") ?? "").replace(/^[^.]*\./, "")) as Record<string, unknown>;
  const forged = (over: object): string =>
    `quill.token=${encodeURIComponent(`${(form.get("quill.token") ?? "").split(".")[0]}.${JSON.stringify({ ...claims, ...over })}`)}&name=Forged`;
  const asForm: [string, string][] = [
    ["nothing", ""],
    ["no token", "name=Forged"],
    ["an empty token", "quill.token=&name=Forged"],
    ["a token of another key", forged({ key: ["MV-001"] })],
    ["a token of another actor", forged({ actor: "somebody" })],
    ["a token without digests", forged({ shown: {} })],
    ["a token of a deep object", `quill.token=${encodeURIComponent(`x.${"[".repeat(20_000)}`)}&name=Forged`],
    ["a token twice", `${token}&${token}&name=Forged`],
    ["a field twice", `${token}&name=Forged&name=Other`],
    ["a field as a list", `${token}&name[]=Forged&name[0]=x`],
    ["a field as an object", `${token}&name[$ne]=&__proto__[name]=Forged&constructor[prototype][name]=x`],
    ["columns that are not on the form", `${token}&xmin=1&ctid=(0,1)&id=1&tableoid=1&code=MV-001`],
    ["NUL in a value", `${token}&name=a%00b`],
    ["NUL in a name", `${token}&na%00me=x`],
    ["bytes that are not UTF-8", `${token}&name=%FF%FE`],
    ["an overlong encoding", `${token}&name=%C0%80`],
    ["a lone surrogate", `${token}&name=%ED%A0%80`],
    ["broken percent signs", `${token}&name=%&notes=%1`],
    ["three thousand names", `${token}&${Array.from({ length: 3000 }, (_, index) => `f${index}=1`).join("&")}`],
    ["a name of a hundred thousand letters", `${token}&${"n".repeat(100_000)}=1`],
    ["a name that is too long for the column", `${token}&name=${"N".repeat(61)}`],
    ["a megabyte of notes", `${token}&notes=${"x".repeat(1_000_000)}`],
    ["two megabytes of notes", `${token}&notes=${"x".repeat(2_000_000)}`],
    ["a number of a thousand digits", `${token}&warning_m=${"9".repeat(1000)}`],
    ["a number with an exponent", `${token}&warning_m=1e999`],
    ["a number that is none", `${token}&warning_m=NaN`],
    ["an infinite number", `${token}&warning_m=Infinity`],
    ["a hexadecimal number", `${token}&warning_m=0x10`],
    ["digits of another script", `${token}&warning_m=${encodeURIComponent("٣٫٤")}`],
    ["a river that is no number", `${token}&river_id=1%3BDROP`],
    ["a river out of range", `${token}&river_id=99999999999999999999`],
    ["a status that is none", `${token}&status=${encodeURIComponent("live'::text; --")}`],
    ["a date that is none", `${token}&installed_on=2026-02-30`],
    ["a date far away", `${token}&installed_on=99999999-01-01`],
    ["a box that is neither", `${token}&telemetry=maybe`],
    [
      "markup in a refused form",
      `${token}&warning_m=${encodeURIComponent(mark)}&name=${encodeURIComponent(`${mark}"'><textarea>`)}&installed_on=${encodeURIComponent(mark)}&status=${encodeURIComponent(mark)}`,
    ],
    ["markup that ends a text area", `${token}&warning_m=x&notes=${encodeURIComponent(`</textarea>${mark}`)}`],
    ...sql.map((text): [string, string] => [
      `SQL in a value: ${text}`,
      `${token}&warning_m=x&name=${encodeURIComponent(text)}&grid_reference=${encodeURIComponent(text)}`,
    ]),
  ];
  return asForm.map(([what, body]) => ({ what, path: mv014, init: post(body) }));
};

const contentTypes: Attack[] = [
  "application/json",
  "text/plain",
  "multipart/form-data; boundary=x",
  "application/xml",
  "application/x-www-form-urlencoded; charset=utf-16",
  "application/x-www-form-urlencoded; charset=\0".replace("\0", "?"),
  "x",
  "",
].map((type) => ({
  what: `content type ${type}`,
  path: mv014,
  init: post('{"name":"Forged"}', type ? { "content-type": type } : {}),
}));
const encodings: Attack[] = ["gzip", "br", "deflate", "nonsense"].map((encoding) => ({
  what: `content encoding ${encoding}`,
  path: mv014,
  init: post("name=Forged", { ...urlencoded, "content-encoding": encoding }),
}));
const cookies: Attack[] = [
  "quill_session=s%3Aforged.sig",
  "quill_session=%",
  "quill_said=x.%7B%7D",
  `quill_said=${encodeURIComponent(mark)}`,
  "a".repeat(4000),
  "__proto__=1",
].map((cookie) => ({ what: `cookie ${cookie.slice(0, 30)}`, path: "/stations", init: { headers: { cookie } } }));
const signIns: Attack[] = [
  "",
  "email[]=x&password=y",
  "email=x",
  `email=${"x".repeat(20_000)}`,
  "email=%00&password=%00&token=%00",
  `email=${encodeURIComponent(mark)}&password=x&token=x&next=${encodeURIComponent(mark)}`,
].map((body) => ({ what: `sign-in ${body.slice(0, 30)}`, path: "/sign-in", init: post(body) }));
const api: Attack[] = [
  "/drafts/__proto__",
  "/drafts/%00",
  "/drafts/station/versions",
  "/pages/__proto__/records",
  "/pages/station/records?q=%00",
  `/pages/station/records?q=${encodeURIComponent(sql[1] ?? "")}`,
  "/requests/00000000-0000-0000-0000-00000000000x",
  "/requests?page=%00",
  "/changes?before=9999999999999999999999",
  "/changes?before=abc",
  "/changes?containing=%00",
  `/changes?containing=${encodeURIComponent("%_\\' OR 1=1")}`,
  "/changes?person[]=x",
].map((path) => ({ what: `API ${path}`, path: `/workbench/api${path}` }));

/** Sends bytes that no HTTP library would send, and answers the first line of what came back. */
const raw = (text: string): Promise<string> =>
  new Promise((resolve, reject) => {
    const socket = connectSocket(Number(new URL(base).port), "127.0.0.1", () => socket.end(text));
    let answer = "";
    socket.on("data", (part) => {
      answer += part.toString("latin1");
    });
    socket.on("close", () => resolve(answer.split("\r\n")[0] ?? ""));
    // Whoever is turned away before all of it has arrived may find the connection reset, and the answer lost.
    socket.on("error", (error: Error & { code?: string }) =>
      error.code === "ECONNRESET" || error.code === "EPIPE" ? resolve("reset") : reject(error),
    );
  });

describe("hostile input", () => {
  test("no 5xx, no row touched, nothing unescaped: more than a hundred requests", async () => {
    const attacks = [
      ...inKeys,
      ...inQueries,
      ...oddQueries,
      ...methods,
      ...bodies(),
      ...contentTypes,
      ...encodings,
      ...signIns,
      ...api,
    ];
    expect(attacks.length).toBeGreaterThan(150);
    const before = await everything();
    const wrong: string[] = [];
    for (const { what, path, init } of attacks) {
      const { status, text, headers } = await client.send(path, init);
      if (status >= 500) wrong.push(`${what}: ${status}`);
      if (text.includes(mark) && headers.get("content-type")?.includes("html")) wrong.push(`${what}: unescaped`);
      if (status === 200 && init?.method === "POST") wrong.push(`${what}: taken`);
    }
    for (const { what, path, init } of cookies) {
      const { status, text } = await new Client(base).send(path, init);
      if (status >= 500 || text.includes(mark)) wrong.push(`${what}: ${status}`);
    }
    expect(wrong).toEqual([]);
    const { rows: written } = await owner.query(
      "SELECT record_key, fields FROM quill_log.change WHERE at > now() - interval '1 hour' AND actor_name LIKE 'Tamsin <%'",
    );
    expect(written).toEqual([]);
    expect(await everything()).toBe(before);
  }, 120_000);

  test.each([
    [
      "two lengths",
      "POST /stations/MV-014/edit HTTP/1.1\r\nHost: x\r\nContent-Length: 5\r\nContent-Length: 6\r\n\r\nname=x",
    ],
    [
      "length and chunks",
      "POST /stations/MV-014/edit HTTP/1.1\r\nHost: x\r\nContent-Length: 5\r\nTransfer-Encoding: chunked\r\n\r\n0\r\n\r\n",
    ],
    ["a header of 100 kB", `GET /stations HTTP/1.1\r\nHost: x\r\nX: ${"x".repeat(100_000)}\r\n\r\n`],
    ["no host", "GET /stations HTTP/1.1\r\n\r\n"],
    ["an absolute address", "GET http://evil.example/stations HTTP/1.1\r\nHost: x\r\nConnection: close\r\n\r\n"],
    ["a path that is none", "GET ../../etc/passwd HTTP/1.1\r\nHost: x\r\nConnection: close\r\n\r\n"],
    [
      "a body that ends early",
      "POST /sign-in HTTP/1.1\r\nHost: x\r\nContent-Type: application/x-www-form-urlencoded\r\nContent-Length: 500\r\n\r\nemail=x",
    ],
  ])("on the wire: %s", async (_, text) => {
    const line = await raw(text);
    expect(line).not.toMatch(/ 5\d\d /);
    expect((await client.get("/stations")).status).toBe(200);
  });

  test("what is stored is escaped wherever it is shown", async () => {
    await owner.query("UPDATE network.station SET notes = $1, name = $2 WHERE code = 'MV-014'", [
      `</textarea>${mark}`,
      mark,
    ]);
    for (const path of ["/", "/stations", mv014, "/stations/MV-999/edit", "/nothing"]) {
      const { text } = await client.get(path);
      expect([path, text.includes(mark)]).toEqual([path, false]);
    }
    expect(formOf((await client.get(mv014)).text).get("notes")).toBe(`</textarea>${mark}`);
  });
});
