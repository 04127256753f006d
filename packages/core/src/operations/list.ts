import { listLength, listStatement } from "../statements/list.js";
import { mayMake } from "../steps/access.js";
import { readSaid } from "../steps/answer.js";
import type { Outcome } from "../trip/outcome.js";
import type { Trip } from "../trip/trip.js";

/** The most that can be searched for, in characters, and the last part of a list that can be asked for. */
const longestSearch = 200;
const lastPart = 100_000;

/** The list of a page's records that the actor may see. */
export async function list({ page, request, facts, recorder, dependencies }: Trip): Promise<Outcome> {
  const { database, signer } = dependencies;
  const search = (request.query.q ?? "").replaceAll("\0", "").trim().slice(0, longestSearch);
  const asked = Number.parseInt(request.query.part ?? "1", 10);
  const part = Number.isFinite(asked) ? Math.min(Math.max(asked, 1), lastPart) - 1 : 0;
  const rows = await database.run(listStatement(page, facts, search, part));
  recorder.note("load", [
    { name: "search", value: search || null },
    { name: "rows", value: String(rows.length) },
  ]);
  const said = readSaid(request.said, signer);
  recorder.note("prefill", []);
  const view = {
    page,
    rows: rows.slice(0, listLength),
    search,
    part,
    more: rows.length > listLength,
    makes: mayMake(page, facts),
    notice: said?.text ?? null,
    savedAddress: said?.address || null,
  };
  return { kind: "shown", view: { what: "list", list: view } };
}
