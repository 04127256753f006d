import { readdir } from "node:fs/promises";
import { afterEach, describe, expect, test } from "@jest/globals";
import { archive, bodyOf, Client, formOf, ledgers, ledgersWithout, often, workshop } from "@loyal-quill/testing";
import { checkFiles } from "../index.js";
import { type DraftedDatabase, drafted } from "../testing/drafted.js";

const after: (() => Promise<unknown>)[] = [];
afterEach(async () => {
  for (const step of after.splice(0).toReversed()) await step();
});

const sampleOf = (sql: readonly string[]): Promise<DraftedDatabase> => drafted(sql, after);

const unescaped = (text: string): string =>
  text
    .replaceAll("&quot;", '"')
    .replaceAll("&#39;", "'")
    .replaceAll("&lt;", "<")
    .replaceAll("&gt;", ">")
    .replaceAll("&amp;", "&");

/** Another value than the one that stands in a control, by what the control looks like. */
function otherValue(html: string, name: string, text: string): string | null | undefined {
  const at = html.search(
    new RegExp(`<(input|select|textarea)[^>]* name="${name.replaceAll(/[.*+?^${}()|[\]\\]/g, "\\$&")}"`),
  );
  if (at < 0) return undefined;
  const tag = html.slice(at, html.indexOf(">", at));
  if (tag.startsWith("<select")) {
    const options = [...html.slice(at, html.indexOf("</select>", at)).matchAll(/<option value="([^"]*)"/g)];
    return options.map((match) => unescaped(match[1] ?? "")).find((value) => value !== text && value !== "");
  }
  if (tag.includes('type="checkbox"')) return text === "true" ? null : "true";
  if (tag.includes('type="date"')) return text === "2026-03-04" ? "2026-03-05" : "2026-03-04";
  if (tag.includes('inputmode="numeric"') || tag.includes('inputmode="decimal"'))
    return text === "" ? "7" : String(Number(text) + 1);
  return `${text}x`;
}

/** Opens a record, sends it untouched, then changes one field after the other until a save goes through. */
async function roundTrip(client: Client, edit: string): Promise<string> {
  const opened = await client.get(edit);
  if (opened.status !== 200) return `opens with ${opened.status}`;
  const form = formOf(opened.text);
  const untouched = await client.post(edit, bodyOf(form));
  if (untouched.status !== 303) return `untouched: ${untouched.status}`;
  const said = await client.get(untouched.headers.get("location") ?? "");
  if (!said.text.includes("Nothing was changed")) return "untouched, but something was changed";
  for (const [name, text] of form) {
    const value = name.startsWith("quill.") ? undefined : otherValue(opened.text, name, text);
    if (value === undefined) continue;
    const saved = await client.post(edit, bodyOf(form, { [name]: value }));
    if (saved.status >= 500) return `${name}: ${saved.status}`;
    if (saved.status !== 303) continue;
    const after = await client.get(saved.headers.get("location") ?? "");
    return after.status === 200 && after.text.includes("is saved") ? "saved" : `after the save: ${after.status}`;
  }
  return "no field can be changed";
}

/** Every page's name with what became of a round trip of its first record. */
async function everyPage({ address, directory }: DraftedDatabase): Promise<Record<string, string>> {
  const home = (await new Client(address).get("/")).text;
  const lists = [...home.matchAll(/<li><a href="([^"]+)"/g)].map((match) => unescaped(match[1] ?? ""));
  expect(lists).toHaveLength((await readdir(directory)).length);
  const results: Record<string, string> = {};
  const waiting = [...lists];
  // Several people at once, each with cookies of their own.
  const person = async (): Promise<void> => {
    const client = new Client(address);
    for (let list = waiting.pop(); list !== undefined; list = waiting.pop()) {
      const page = await client.get(list);
      const edit = unescaped(/<td[^>]* class="quill-way"><a href="([^"]+)"/.exec(page.text)?.[1] ?? "");
      results[list] = edit === "" ? `list: ${page.status}` : await roundTrip(client, edit);
    }
  };
  await Promise.all(Array.from({ length: 8 }, person));
  return results;
}

const everySaved = (results: Record<string, string>): Record<string, string> =>
  Object.fromEntries(Object.keys(results).map((list) => [list, "saved"]));

describe("draft --all and serve, unedited", () => {
  test("on ledgers with odd names and hardly a primary key: what has a safe key opens and saves, the rest is named", async () => {
    const sample = await sampleOf(ledgers);
    const results = await everyPage(sample);
    expect(results).toEqual(everySaved(results));
    expect(Object.keys(results)).toHaveLength(14);
    for (const [table, because] of ledgersWithout) {
      const line = sample.said.find((each) => each.trim().startsWith(`${table}  `));
      expect([table, line]).toEqual([table, expect.stringMatching(because)]);
    }
    const first = sample.said.indexOf("Without a page:");
    expect(sample.said.slice(first + 1, sample.said.indexOf("", first))).toHaveLength(ledgersWithout.length);
    const users = (await new Client(sample.address).get("/users/marrow/edit")).text;
    expect(users).not.toMatch(/password_hash|api_key/);
  });

  test("on an archive of many tables: all of them", async () => {
    const archiveSize = often(80, 300);
    const sample = await sampleOf(archive(archiveSize));
    const results = await everyPage(sample);
    expect(results).toEqual(everySaved(results));
    expect(Object.keys(results)).toHaveLength(archiveSize);
    const { rows } = await sample.owner.query<{ count: string }>(
      "SELECT count(*) FROM quill_log.change WHERE way = 'page'",
    );
    expect(Number(rows[0]?.count)).toBe(archiveSize);
  });

  test("on a workshop with every kind of constraint: all of them, and the review has no error", async () => {
    const sample = await sampleOf(workshop);
    const results = await everyPage(sample);
    expect(results).toEqual(everySaved(results));
    expect(Object.keys(results)).toHaveLength(12);
    expect(sample.said.find((line) => line.includes("workshop.tool "))).toContain("inherit from this one");
    const checked = await checkFiles({ database: sample.made.pages, files: [sample.directory], rows: true });
    expect(checked.flatMap(({ findings }) => findings.filter((finding) => finding.severity === "error"))).toEqual([]);
    const half = checked.find(({ file }) => file.endsWith("half-open.page.yaml"));
    expect(half?.findings.map((finding) => finding.message).join()).toContain("may not update closed");
  });
});
