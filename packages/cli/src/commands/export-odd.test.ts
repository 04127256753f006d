import { mkdir, readdir, readFile, writeFile } from "node:fs/promises";
import path from "node:path";
import process from "node:process";
import { afterEach, describe, expect, test } from "@jest/globals";
import { freshDatabase, oddSchema, often } from "@loyal-quill/testing";
import pg from "pg";
import { parse } from "yaml";
import { ask, byChance, ended, type Side, side, tamsin } from "../testing/beside.js";
import { complaints, directoryWithin, exported, removed, startExported, startServed } from "../testing/exported.js";
import { draft } from "./draft.js";

/*
 * Schemas that nobody designed, as in odd-schemas.test.ts: every page that is drafted of them is exported, or refused with a reason; what is exported is strict
 * TypeScript and answers as the served page does. More of them: QUILL_ODD_SCHEMAS=40 npm run test:database -- --testPathPatterns export-odd
 */

const [first, number] = [
  Number(process.env.QUILL_ODD_FIRST ?? 1),
  Number(process.env.QUILL_ODD_SCHEMAS ?? often(3, 24)),
];
const seeds = Array.from({ length: number }, (_, index) => first + index);

const after: (() => Promise<unknown>)[] = [];
afterEach(async () => {
  for (const step of after.splice(0).toReversed()) await step();
});

/** The forms of a page's records, by the list that is served. */
async function formsOf(served: Side, list: string): Promise<readonly string[]> {
  const response = await fetch(`${served.application.origin}${list}`, {
    headers: { "x-person": JSON.stringify(tamsin) },
  });
  const html = await response.text();
  const plain = (text: string): string =>
    text.replaceAll("&amp;", "&").replaceAll("&#39;", "'").replaceAll("&quot;", '"');
  const found = [...html.matchAll(/<td[^>]* class="quill-way"><a href="([^"?]+)/g)].map(([, href]) =>
    plain(href ?? ""),
  );
  return [...new Set(found)].slice(0, 3).map((href) => `${href.replace(/\/edit$/, "")}/edit`);
}

describe("a schema that nobody designed", () => {
  test.each(seeds)(
    "is exported as it is served: %i",
    async (seed) => {
      const odd = oddSchema(seed);
      const directory = await directoryWithin();
      after.push(() => removed(directory));
      const pages = path.join(directory, "page-files");
      await mkdir(pages);
      // Both sides begin with the same rows, those included that PostgreSQL gives by chance or by the clock.
      const base = await freshDatabase();
      after.push(() => base.drop());
      const owner = new pg.Client(base.owner);
      await owner.connect();
      for (const statement of ["SET timezone TO 'UTC'", ...odd.sql]) await owner.query(statement);
      await owner.end();
      const served = await side(
        async (database) => {
          await draft({ database, tables: undefined, to: pages }, () => {});
          // Exported code has no page of a record but its form.
          for (const name of await readdir(pages)) {
            const text = await readFile(path.join(pages, name), "utf8");
            await writeFile(path.join(pages, name), text.replace("saved: view", "saved: page"));
          }
          return startServed(pages, database);
        },
        [],
        { like: base },
      );
      after.push(() => ended(served));
      const told = (await exported(served.made.pages, [pages], directory)).join("\n");
      const names = (await readdir(pages)).map((name) => name.replace(".page.yaml", ""));
      const refused = new Set(
        [...told.matchAll(/^(\S+): not exported, since (it|its|a|"[^"]*" of its table) .+\.$/gm)].map(
          (match) => match[1],
        ),
      );
      const taken = names.filter((name) => !refused.has(name));
      expect(taken.filter((name) => !new RegExp(`^${name}: .*, \\d+ lines\\.$`, "m").test(told))).toEqual([]);
      expect(await complaints(directory)).toBe("");
      if (taken.length === 0) return;
      const plain = await side((database) => startExported(directory, taken, database), [], { like: base });
      after.push(() => ended(plain));
      for (const name of taken) {
        const file = parse(await readFile(path.join(pages, `${name}.page.yaml`), "utf8")) as {
          path: string;
          record: { table: string };
        };
        const forms = await formsOf(served, file.path.replace(/\/\{.*$/, ""));
        for (const form of forms) {
          const { status, fault } = await ask(plain, form, tamsin);
          expect([form, status, fault]).toEqual([form, (await ask(served, form, tamsin)).status, null]);
        }
        if (forms.length > 0)
          await byChance(
            [served, plain],
            name,
            forms.map((form) => [form, null] as const),
            12,
            seed,
            // Two fields that name a record together are judged by the table itself, once nothing else is wrong (docs/exporting.md).
            { alone: name === "calibration" ? ["station_code", "channel"] : [] },
          );
      }
    },
    240_000,
  );
});
