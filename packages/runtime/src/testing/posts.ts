import type { Actor, RecordedRequest } from "@loyal-quill/core";
import { parse } from "csv-parse/sync";
import { stringify } from "csv-stringify/sync";
import { createPages } from "../index.js";
import { ownFrame, serve } from "./served.js";
import { makeTrips, type Trips, tamsin } from "./trips.js";

/* A list that goes out for editing in a spreadsheet, with columns of every kind, and what a person does with its files. */

const file = `format: loyal-quill/page@1
title: "Post {code}"
path: /posts/{code}
record: { table: network.post, key: code }
access: { open: 'true', new: "actor.id != 'reader'", edit: row.state != "sealed", rows: row.state != "hidden" }
list: { columns: [code, name], filter: [open], spreadsheet: true }
fields:
  - code
  - name: { rules: [{ max-length: 30 }], help: As it stands on the post. }
  - number
  - height: { rules: [{ max: 500 }] }
  - since
  - seen
  - open
  - river_id: { label: River }
  - state
  - note: { control: multi-line }
checks:
  - { expect: form.height > 0, at: height, message: A post is higher than that. }
`;

export type Table = string[][];

export interface Answer {
  readonly status: number;
  readonly text: string;
  readonly location: string | null;
  // biome-ignore lint/suspicious/noExplicitAny: what comes is looked at, not relied on
  readonly json: any;
}

export const csv = (table: Table, delimiter = ","): string => stringify(table, { delimiter });

/** The table with some cells changed: by record and heading. */
export const edited = (table: Table, edits: Record<string, Record<string, string>>): Table => {
  const [heads = []] = table;
  return table.map((row) => row.map((cell, index) => edits[row[0] ?? ""]?.[heads[index] ?? ""] ?? cell));
};

export function formOf(content: string | Uint8Array, name = "posts.csv"): FormData {
  const form = new FormData();
  const bytes = typeof content === "string" ? content : new Uint8Array(content);
  form.set("quill.file", new Blob([bytes], { type: "text/csv" }), name);
  return form;
}

/** What a hidden text area of a page holds. */
export function hiddenIn(text: string, name: string): string {
  const [, held = ""] = text.split(`<textarea hidden name="${name}">\n`)[1]?.match(/^([\s\S]*?)<\/textarea>/) ?? [];
  return held
    .replaceAll("&quot;", '"')
    .replaceAll("&lt;", "<")
    .replaceAll("&gt;", ">")
    .replaceAll("&#39;", "'")
    .replaceAll("&amp;", "&");
}

/** The form that saves what was looked at, as the page sends it. */
export function savingForm(text: string, choices: Readonly<Record<string, string>> = {}): FormData {
  const form = new FormData();
  form.set("quill.rows", hiddenIn(text, "quill.rows"));
  const [, session] = /name="quill\.session" value="([^"]*)"/.exec(text) ?? [];
  if (session !== undefined) form.set("quill.session", session);
  for (const [name, value] of Object.entries(choices)) form.set(name, value);
  return form;
}

/** The posts, served to one person after another. */
export class Posts {
  actor: Actor = tamsin;
  session = "one";
  recorded: RecordedRequest | undefined;

  private constructor(
    readonly trips: Trips,
    readonly origin: string,
    readonly close: () => Promise<void>,
  ) {}

  /** @param more page files beside those of the posts, by their names */
  static async start(more: Readonly<Record<string, string>> = {}): Promise<Posts> {
    const trips = await makeTrips({
      sql: [
        `CREATE TABLE network.post (code text PRIMARY KEY, name text NOT NULL, number text, height numeric(8,3) NOT NULL, since date, seen timestamptz, open boolean NOT NULL DEFAULT false,
         river_id integer REFERENCES network.river, state text NOT NULL DEFAULT 'set', note text, UNIQUE (name))`,
        "CREATE TABLE network.numbered (id integer PRIMARY KEY, name text)",
        "INSERT INTO network.numbered VALUES (1, 'One')",
        "GRANT SELECT, INSERT, UPDATE, DELETE ON network.numbered, network.post TO quill_pages",
      ],
      files: {
        ...more,
        post: file,
        found: file
          .replace("/posts/", "/found/")
          .replace("{ label: River }", "{ label: River, choices: { by: search } }"),
        numbered:
          "format: loyal-quill/page@1\ntitle: '{id}'\npath: /numbered/{id}\nrecord: { table: network.numbered, key: id }\naccess: { open: 'true' }\nlist: { columns: [id, name], spreadsheet: true }\nfields: [id, name]\n",
      },
    });
    let posts: Posts | undefined;
    const pages = await createPages({
      database: trips.database,
      pages: trips.directory,
      signingKey: "a key for tests, thirty-two bytes long",
      actor: () => posts?.actor ?? null,
      session: () => posts?.session ?? "",
      frame: ownFrame,
      onRequest: (request) => {
        if (posts) posts.recorded = request;
      },
    });
    const served = await serve(pages, "/records");
    posts = new Posts(trips, served.origin, async () => {
      await served.stop();
      await trips.close();
    });
    return posts;
  }

  /** Ten posts, the ninth sealed and the tenth hidden. */
  async fill(): Promise<void> {
    this.actor = tamsin;
    this.session = "one";
    await this.trips.owner.query("TRUNCATE network.post");
    await this.trips.owner.query(
      `INSERT INTO network.post SELECT 'P' || lpad(i::text, 3, '0'), 'Post ' || i, CASE i WHEN 1 THEN '00123' WHEN 2 THEN '1E5' WHEN 3 THEN '12345678901234567890' WHEN 4 THEN '1/2' WHEN 5 THEN '=1+1' END,
       i + 0.5, DATE '2026-03-01' + i, TIMESTAMPTZ '2026-03-01 10:20:30.123+00' + i * INTERVAL '1 day', i % 2 = 0, CASE WHEN i % 3 > 0 THEN i % 3 END, CASE WHEN i = 9 THEN 'sealed' WHEN i = 10 THEN 'hidden' ELSE 'set' END,
       CASE i WHEN 1 THEN E'two\nlines' WHEN 2 THEN 'said "so", twice' WHEN 3 THEN 'Über – die Brücke' END FROM generate_series(1, 10) AS i`,
    );
  }

  async bytes(query = "", list = "posts"): Promise<Uint8Array> {
    const response = await fetch(`${this.origin}/records/${list}/~spreadsheet?${query}`);
    if (!response.headers.get("content-disposition")?.includes("-to-edit."))
      throw new Error(`It was answered ${response.status}, and no file.`);
    return new Uint8Array(await response.arrayBuffer());
  }

  async download(query = "", list = "posts"): Promise<Table> {
    const text = new TextDecoder().decode(await this.bytes(query, list));
    return parse(text, { bom: true, relax_column_count: true }) as Table;
  }

  async post(form: FormData, headers: Record<string, string> = {}, list = "posts"): Promise<Response> {
    const path = `${this.origin}/records/${list}/~upload`;
    return fetch(path, { method: "POST", body: form, redirect: "manual", headers });
  }

  async send(
    form: FormData,
    accept = "application/json",
    more: Record<string, string> = {},
    list = "posts",
  ): Promise<Answer> {
    const response = await this.post(form, { accept, ...more }, list);
    const text = await response.text();
    return {
      status: response.status,
      text,
      location: response.headers.get("location"),
      json: text.startsWith("{") ? JSON.parse(text) : null,
    };
  }

  look = (content: string | Uint8Array): Promise<Answer> => this.send(formOf(content));

  /** Looks at a file on the page itself and presses its button. */
  async save(
    content: string | Uint8Array,
    choices: Record<string, string> = {},
    asked: Record<string, string> = {},
  ): Promise<Answer> {
    const looking = formOf(content);
    for (const [name, value] of Object.entries(asked)) looking.set(name, value);
    const looked = await this.send(looking, "text/html");
    return this.send(savingForm(looked.text, choices));
  }
}
