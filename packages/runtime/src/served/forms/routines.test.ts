import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { hollis, makeTrips, type Trips, tamsin } from "../../testing/trips.js";

const bulletinPage = (call: string) => `format: loyal-quill/page@1
title: "{slug}"
path: /notices/{slug}
record: { table: office.bulletin, key: slug, key-editable: true }
fields: [slug, headline, state, team]
save: ${call}
answer: { saved: page }
`;

let trips: Trips;
beforeAll(async () => {
  trips = await makeTrips({
    sql: [
      `CREATE PROCEDURE office.publish(address text, title text, new_state office.bulletin_state, who text, was text DEFAULT NULL)
       LANGUAGE plpgsql AS $$ BEGIN
         IF title LIKE 'Bad%' THEN RAISE EXCEPTION 'A headline does not begin with Bad.'; END IF;
         UPDATE office.bulletin SET slug = address, headline = title || ' (' || who || ')', state = new_state WHERE slug = was;
       END $$`,
      `CREATE FUNCTION office.drop_it(slug text) RETURNS boolean LANGUAGE sql AS 'DELETE FROM office.bulletin WHERE bulletin.slug = $1 RETURNING true'`,
      "CREATE FUNCTION office.twice(a integer) RETURNS integer LANGUAGE sql AS 'SELECT 1'",
      "CREATE FUNCTION office.twice(a text) RETURNS integer LANGUAGE sql AS 'SELECT 1'",
      "CREATE FUNCTION office.nameless(integer) RETURNS integer LANGUAGE sql AS 'SELECT 1'",
      "GRANT EXECUTE ON ALL ROUTINES IN SCHEMA office TO quill_pages",
      "UPDATE office.bulletin SET slug = 'first', headline = 'First headline', state = 'planned' WHERE id = 1",
      "UPDATE office.bulletin SET slug = 'second' WHERE id = 2",
    ],
    files: {
      notice: bulletinPage(
        "{ routine: office.publish, parameters: { address: form.slug, title: form.headline, new_state: form.state, who: actor.name, was: row.slug } }",
      ),
      bin: bulletinPage("{ routine: office.drop_it }").replaceAll("notices", "bin"),
    },
  });
});
afterAll(() => trips.close());

const findingsOf = async (call: string): Promise<string[]> => {
  await trips.reloadWith({ wrong: bulletinPage(call).replaceAll("notices", "wrong") });
  const file = trips.site().files.find((each) => each.name === "wrong");
  return file?.findings.map((finding) => `${finding.line}:${finding.column} ${finding.message}`) ?? [];
};

describe("a save by a routine", () => {
  test("calls a procedure with the form's values and logs what became of the row, its key too", async () => {
    const form = await trips.open("/notices/first/edit", tamsin);
    const { response, recorded } = await trips.save("/notices/first/edit", tamsin, form, { slug: "renamed" });
    expect(response.headers.location).toBe("/notices/renamed/edit");
    expect(await trips.one("SELECT slug, headline, state FROM office.bulletin WHERE id = 1")).toEqual({
      slug: "renamed",
      headline: "First headline (Tamsin Okoro)",
      state: "planned",
    });
    const entry = await trips.one(
      "SELECT operation, record_key, new_key, fields, reason FROM quill_log.change WHERE request_id = $1",
      [recorded.id],
    );
    expect(entry).toEqual({
      operation: "update",
      record_key: { slug: "first" },
      new_key: { slug: "renamed" },
      fields: [
        { field: "slug", old: "first", new: "renamed" },
        { field: "headline", old: "First headline", new: "First headline (Tamsin Okoro)" },
      ],
      reason: "by office.publish",
    });
  });

  test("what the routine raises stands on the form, and nothing is stored or logged", async () => {
    const form = await trips.open("/notices/renamed/edit", tamsin);
    const { response, recorded } = await trips.save("/notices/renamed/edit", tamsin, form, { headline: "Bad news" });
    expect(response.status).toBe(422);
    expect(response.body).toContain("A headline does not begin with Bad.");
    expect(response.body).toContain("Bad news");
    const { rows } = await trips.owner.query("SELECT FROM quill_log.change WHERE request_id = $1", [recorded.id]);
    expect(rows).toHaveLength(0);
  });

  test("two people at different fields both keep their work, at the same field the second is told", async () => {
    const one = await trips.open("/notices/renamed/edit", tamsin);
    const other = await trips.open("/notices/renamed/edit", hollis);
    expect((await trips.save("/notices/renamed/edit", tamsin, one, { state: "published" })).response.status).toBe(303);
    expect((await trips.save("/notices/renamed/edit", hollis, other, { state: "withdrawn" })).response.status).toBe(
      409,
    );
    const { state } = await trips.one<{ state: string }>("SELECT state FROM office.bulletin WHERE id = 1");
    expect(state).toBe("published");
  });

  test("a routine that deletes the record is logged as a deletion", async () => {
    const form = await trips.open("/bin/second/edit", tamsin);
    const { response, recorded } = await trips.save("/bin/second/edit", tamsin, form, { headline: "Whatever it says" });
    expect(response.status).toBe(303);
    const entry = await trips.one<{ operation: string }>(
      "SELECT operation FROM quill_log.change WHERE request_id = $1",
      [recorded.id],
    );
    expect(entry.operation).toBe("delete");
  });

  test("a page that can't call its routine says why and where", async () => {
    expect(await findingsOf("{ routine: office.pubish }")).toEqual([
      '6:18 There is no routine "office.pubish" that this connection may call. Did you mean "office.publish"?',
    ]);
    expect((await findingsOf("{ routine: office.publish }")).join()).toContain(
      'parameter "address" is called like no column',
    );
    expect((await findingsOf("{ routine: office.twice }")).join()).toContain("2 routines called");
    expect((await findingsOf("{ routine: office.nameless }")).join()).toContain("parameter without a name");
    expect(
      (await findingsOf("{ routine: office.drop_it, parameters: { slag: form.slug, slug: row.slog } }")).join(" "),
    ).toMatch(/no parameter "slag". Did you mean "slug".*no column "slog". Did you mean "slug"/);
  });
});
