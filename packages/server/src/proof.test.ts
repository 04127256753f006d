import { mkdir, rm, writeFile } from "node:fs/promises";
import path from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import type { Played, Rehearsal } from "@loyal-quill/authoring/rehearsal";
import type { RecordedRequest } from "@loyal-quill/core";
import { bodyOf, type Client, formOf, untilAnswered } from "@loyal-quill/testing";
import type { RehearsalAnswer, ReplayAnswer } from "./api/answers/proof.js";
import type { DraftAnswer } from "./api/answers/sheet.js";
import type { RequestSums, RequestsAnswer } from "./api/types.js";
import { type Builder, startWorkbench, type TestWorkbench } from "./testing/workbench.js";

/** Requests told, played again, and the rehearsal, by the API of a running workbench. */

let workbench: TestWorkbench;
let ines: Builder;
let hollis: Client;
const station = "/stations/MV-014/edit";
const trace = "4bf92f3577b34da6a3ce929d0e0e4736";

beforeAll(async () => {
  workbench = await startWorkbench({ onPublish: "refuse" });
  ines = await workbench.builder("ines");
  hollis = (await workbench.signIn("hollis")).client;
});
afterAll(() => workbench.close());

const get = async <T>(address: string): Promise<T> => (await ines.send<T>("GET", address)).said;

/** Sends the station's form with some values typed. */
async function save(edits: Readonly<Record<string, string>>, headers: Readonly<Record<string, string>> = {}) {
  const form = formOf((await hollis.get(station)).text);
  return hollis.send(station, {
    method: "POST",
    headers: { "content-type": "application/x-www-form-urlencoded", ...headers },
    body: bodyOf(form, edits),
  });
}

const told = (query: string): Promise<RequestsAnswer> => get<RequestsAnswer>(`/requests?${query}`);

describe("requests told", () => {
  let refused: RecordedRequest;

  beforeAll(async () => {
    await hollis.send("/stations/MV-999/edit", {
      headers: { "x-api-key": "heron-key", "x-forwarded-access-token": "t" },
    });
    await save({ warning_m: "1.10", name: "<b>&" }, { traceparent: `00-${trace}-00f067aa0ba902b7-01` });
    await save({ notes: "Board read twice." });
    await untilAnswered(
      () => told("outcome=saved"),
      ({ requests }) => requests.length === 1,
    );
    const [first] = (await told("outcome=invalid")).requests;
    refused = await get<RecordedRequest>(`/requests/${first?.id}`);
  });

  test("are found by outcome, step, record, field, person, time and text, and counted", async () => {
    const one = async (query: string): Promise<string[]> => (await told(query)).requests.map(({ outcome }) => outcome);
    expect(await one("outcome=refusals")).toEqual(["invalid", "not-found"]);
    expect(await one("step=check")).toEqual(["invalid"]);
    expect(await one("field=warning_m")).toEqual(["invalid"]);
    expect(await one("record=MV-014&outcome=saved")).toEqual(["saved"]);
    expect(await one("text=MV-999")).toEqual(["not-found"]);
    expect(await one("text=must lie above")).toEqual(["invalid"]);
    expect(await one("text=%25")).toEqual([]);
    expect(await one(`text=${trace}`)).toEqual(["invalid"]);
    expect(await one(`text=${refused.id}`)).toEqual(["invalid"]);
    expect(await one("slower=60000")).toEqual([]);
    expect(await one("person=nobody")).toEqual([]);
    const sums = await get<RequestSums>("/requests/sums?page=station");
    expect(sums.rules).toContainEqual({ field: "warning_m", by: "check", count: 1 });
    expect(sums.days.reduce((sum, { count }) => sum + count, 0)).toBe(sums.count);
    expect(sums.steps.map(({ step }) => step)).toEqual(expect.arrayContaining(["route", "load", "write"]));
  });

  test("come newest first, by the order in which they were kept and not by how their numbers are written", async () => {
    for (let turn = 0; turn < 8; turn++) await hollis.get("/stations/MV-999/edit");
    const all = await untilAnswered(
      () => told(""),
      ({ requests }) => Number(requests[0]?.number) >= 12,
    );
    const numbers = all.requests.map(({ number }) => Number(number));
    expect(numbers).toEqual(numbers.toSorted((a, b) => b - a));
  });

  test("come in parts, none twice and none left out", async () => {
    const all = (await told("")).requests;
    const later = (await told(`before=${all[0]?.number}`)).requests;
    expect(later.map(({ id }) => id)).toEqual(all.slice(1).map(({ id }) => id));
  });

  test("one has what came over the wire, and no secret", async () => {
    expect(refused.trace).toBe(trace);
    const { wire } = refused;
    expect(wire?.headers.cookie).toBe("(not kept)");
    expect(wire?.body).toContain("warning_m=1.10");
    expect(wire?.answer.body).toContain("&lt;b&gt;&amp;");
    const read = refused.steps.find(({ step }) => step === "read")?.values;
    expect(read?.find(({ name }) => name === "warning_m")).toMatchObject({
      value: "1.10",
      note: "touched",
      became: "1.10",
    });
    expect(JSON.stringify(refused)).not.toMatch(/quill_session=/);
    const other = (await told("text=MV-999")).requests.at(-1);
    const { wire: others } = await get<RecordedRequest>(`/requests/${other?.id}`);
    expect([others?.headers["x-api-key"], others?.headers["x-forwarded-access-token"]]).toEqual([
      "(not kept)",
      "(not kept)",
    ]);
  });

  test("a plan is shown of a statement, which is not run", async () => {
    const [saved] = (await told("outcome=saved")).requests;
    const found = await get<RecordedRequest>(`/requests/${saved?.id}`);
    const write = found.steps.find(({ step }) => step === "write");
    const { plan } = await get<{ plan: string }>(`/requests/${saved?.id}/plan?step=write&statement=0`);
    expect(write?.statements[0]?.text).toContain("UPDATE");
    expect(plan).toMatch(/Update on station/);
    expect((await ines.send("GET", `/requests/${saved?.id}/plan?step=write&statement=9`)).status).toBe(404);
  });

  test("the number of a request stands on an error page, and finds it", async () => {
    const { text } = await hollis.get("/stations/MV-998/edit");
    const [, number] = /request[^<]*<code>([\da-f-]{36})<\/code>/i.exec(text) ?? [];
    const found = await untilAnswered(
      () => told(`text=${number}`),
      ({ requests }) => requests.length === 1,
    );
    expect(found.requests[0]).toMatchObject({ path: "/stations/MV-998/edit", outcome: "not-found" });
  });
});

const textOf = async (name: string): Promise<string> => (await get<DraftAnswer>(`/drafts/${name}`)).text;

describe("played again on the draft", () => {
  const run = async (body: object): Promise<ReplayAnswer> => {
    expect((await ines.send("POST", "/drafts/station/replay", body)).status).toBe(202);
    const answer = await untilAnswered(
      () => get<ReplayAnswer | null>("/drafts/station/replay"),
      (each) => each?.state === "done" || each?.state === "failed",
    );
    return answer as ReplayAnswer;
  };

  test("what was refused would be saved, or refused by the table, where the draft's rule is gone; nothing is written", async () => {
    await save({ notes: "n".repeat(2001) });
    await untilAnswered(
      () => told("field=notes"),
      ({ requests }) => requests.length === 1,
    );
    const text = (await textOf("station"))
      .replace("form.warning_m > form.alert_m", "form.warning_m > 0.0")
      .replace("{ max-length: 2000 }", "{ max-length: 3000 }");
    const { played } = await run({ text, query: { outcome: "refusals", days: "1" }, rowsThen: false });
    const kinds = played?.map(({ kind, method, after }) => `${method} ${kind} ${after?.stoppedAt}`).toSorted();
    expect([...new Set(kinds)]).toEqual([
      "GET the same load",
      // The table's own CHECK stands where the page's was.
      "POST refused otherwise check",
      "POST would be saved null",
    ]);
    const form = formOf((await hollis.get(station)).text);
    expect([form.get("warning_m"), form.get("notes")]).toEqual(["3.37", "Board read twice."]);
  });

  test("what was saved is the same on the row as it was, and no change on the row as it is", async () => {
    const text = await textOf("station");
    const query = { outcome: "saved" };
    const now = await run({ text, query, rowsThen: false });
    expect(now.played?.map(({ kind, after, row }) => [kind, after?.outcome, row])).toEqual([
      ["the same", "unchanged", "now"],
    ]);
    const then = await run({ text, query, rowsThen: true });
    expect(then.played?.map(({ after, row, putBack }) => [after?.outcome, row, putBack])).toEqual([
      ["saved", "then", ["notes"]],
    ]);
  });

  test("a rule that the draft adds refuses what was saved, by its reason; each can be opened", async () => {
    const text = (await textOf("station")).replace("{ max-length: 2000 }", "{ max-length: 5 }");
    const { played } = await run({ text, query: { outcome: "saved" }, rowsThen: true });
    expect(played?.[0]).toMatchObject({ kind: "would be refused", after: { outcome: "invalid", stoppedAt: "check" } });
    const one = await get<{ recorded: RecordedRequest }>(`/drafts/station/replay/${played?.[0]?.id}`);
    expect(one.recorded.outcome).toBe("invalid");
  });

  test("refuses ids that are none, and a draft with errors", async () => {
    const text = await textOf("station");
    expect((await ines.send("POST", "/drafts/station/replay", { text, ids: ["1"] })).status).toBe(400);
    expect((await ines.send("POST", "/drafts/station/replay", { text: "format: x", query: {} })).status).toBe(422);
  });
});

describe("the rehearsal of a draft", () => {
  const run = async (name: string, text: string): Promise<Rehearsal> => {
    expect((await ines.send("POST", `/drafts/${name}/rehearsal`, { text, quick: true })).status).toBe(202);
    const answer = await untilAnswered(
      () => get<RehearsalAnswer | null>(`/drafts/${name}/rehearsal`),
      (each) => each?.state !== "running",
    );
    expect(answer?.state).toBe("done");
    return answer?.rehearsal as unknown as Rehearsal;
  };

  test("tells of cases, with their evidence one by one, and compares with what is published", async () => {
    const text = (await textOf("region")).replace("fields:", "fields: #\n");
    const found = await run("region", text);
    expect(found.counts.otherwise).toBe(0);
    expect(found.changed).toEqual([]);
    const played = await get<Played>("/drafts/region/rehearsal/write.one-field:name");
    expect(played.evidence.at(-1)).toMatchObject({ status: 303, touched: [{ table: "network.region", updated: 1 }] });
    expect((await ines.send("GET", "/drafts/region/rehearsal/nothing")).status).toBe(404);
  });

  test("is cancelled", async () => {
    const text = await textOf("station");
    await ines.send("POST", "/drafts/station/rehearsal", { text, quick: false });
    await ines.send("DELETE", "/drafts/station/rehearsal");
    const ended = await untilAnswered(
      () => get<RehearsalAnswer | null>("/drafts/station/rehearsal"),
      (each) => each?.state !== "running",
    );
    expect(ended?.state).toBe("cancelled");
  });

  test("stands before publishing, where that is the setting", async () => {
    await writeFile(
      path.join(workbench.directory, "region.cases.yaml"),
      "format: loyal-quill/cases@1\ncases:\n  - { name: Names may be empty, type: { name: '' }, expect: { outcome: saved } }\n",
    );
    const text = await textOf("region");
    const draft = (await ines.send<DraftAnswer>("PUT", "/drafts/region", { was: text, text: `${text}# a note\n` }))
      .said;
    const publish = () =>
      ines.send<{ detail: string }>("POST", "/drafts/region/publish", { revision: draft.revision, everybody: true });
    const refused = await publish();
    expect([refused.status, refused.said.detail]).toEqual([422, expect.stringContaining("Names may be empty")]);
    await writeFile(
      path.join(workbench.directory, "region.cases.yaml"),
      "format: loyal-quill/cases@1\ncases:\n  - { name: Names may not be empty, type: { name: '' }, expect: { outcome: invalid, at: [name] } }\n",
    );
    expect((await publish()).status).toBe(200);
    // Cases that are there and can't be read are not left out.
    await rm(path.join(workbench.directory, "region.cases.yaml"));
    await mkdir(path.join(workbench.directory, "region.cases.yaml"));
    await ines.send("POST", "/drafts/region/rehearsal", { text: `${text}# another note\n`, quick: true });
    const failed = await untilAnswered(
      () => get<RehearsalAnswer | null>("/drafts/region/rehearsal"),
      (each) => each?.state !== "running",
    );
    expect(failed).toMatchObject({ state: "failed", because: "region.cases.yaml can't be read by the server." });
  });
});
