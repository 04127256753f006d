import { mayStatement } from "@loyal-quill/authoring";
import {
  type Actor,
  answeredOr,
  type Database,
  type Facts,
  factsOf,
  mayMake,
  mayOpen,
  type Page,
} from "@loyal-quill/core";
import type { Account } from "../store/entities.js";
import type { MayAnswer, PersonAnswer } from "./answers/people.js";
import type { EffectAnswer } from "./answers/sheet.js";

export const personAnswer = (account: Account): PersonAnswer => {
  const { id, email, name, roles, active, attributes, totpSecret, issuer } = account;
  return { id, email, name, roles, active, attributes, factor: totpSecret !== null, elsewhere: issuer };
};

/** Tables with more rows than this, as PostgreSQL believes, are not counted for a list. */
const mostRows = 300_000;

async function counts(
  page: Page,
  facts: Facts,
  database: Database,
): Promise<Pick<MayAnswer, "sees" | "edits" | "deletes" | "rows">> {
  const none = { sees: null, edits: null, deletes: null, rows: page.table.rows };
  if ((page.table.rows ?? 0) > mostRows) return none;
  const [row] = await answeredOr(() => database.run(mayStatement(page, facts)), [], "unanswered");
  if (!row) return none;
  return { sees: Number(row.sees), edits: Number(row.edits), deletes: Number(row.deletes), rows: Number(row.rows) };
}

/** What somebody may do with each page: whether they may open it, and how many records they see, may edit and may delete. */
export function mayAnswers(actor: Actor, pages: readonly Page[], database: Database): Promise<MayAnswer[]> {
  const facts = factsOf(actor, new Date());
  return Promise.all(
    pages.map(async (page): Promise<MayAnswer> => {
      const opens = mayOpen(page, facts) === true;
      const makes = opens && mayMake(page, facts);
      const counted = opens
        ? await counts(page, facts, database)
        : { sees: 0, edits: 0, deletes: 0, rows: page.table.rows };
      return { page: page.name, plural: page.plural, opens, makes, ...counted };
    }),
  );
}

/** How many people are looked at before something is published. */
const mostPeople = 100;

const numbers = ["sees", "edits", "deletes"] as const;
const words: Readonly<Record<(typeof numbers)[number], string>> = {
  sees: "sees",
  edits: "may edit",
  deletes: "may delete",
};

/** What publishing changes for somebody, in words; empty where nothing does. */
function effectOn(before: MayAnswer | undefined, after: MayAnswer): string[] {
  const opened = before?.opens ?? false;
  if (opened !== after.opens)
    return [after.opens ? `opens it from now on, sees ${after.sees ?? "its"} records` : "no longer opens it"];
  if (!after.opens) return [];
  const counted = numbers.flatMap((name) =>
    before && before[name] !== after[name] ? [`${words[name]} ${after[name]} records instead of ${before[name]}`] : [],
  );
  const makes =
    before && before.makes !== after.makes ? [after.makes ? "may make new ones" : "may no longer make new ones"] : [];
  return [...counted, ...makes];
}

/** For whom publishing a page changes what they may do, and how. */
export async function effects(
  before: Page | null,
  after: Page,
  people: readonly Actor[],
  database: Database,
): Promise<EffectAnswer[]> {
  const all = await Promise.all(
    people.slice(0, mostPeople).map(async (actor) => {
      const [[old], [now]] = await Promise.all([
        before ? mayAnswers(actor, [before], database) : [],
        mayAnswers(actor, [after], database),
      ]);
      return { name: actor.name, lines: now ? effectOn(old, now) : [] };
    }),
  );
  return all.filter(({ lines }) => lines.length > 0);
}
