import type { Actor } from "@loyal-quill/core/condition/facts";
import type { Page } from "@loyal-quill/core/page/page";
import { type Database, DatabaseAway } from "@loyal-quill/core/postgres/statement";
import { openSteps, type StepName, saveSteps } from "@loyal-quill/core/trip/round-trip";
import { type Case, LeftOut, NotJudged, type Played, type Verdict } from "./case.js";
import { accessCases } from "./cases/access.js";
import { checkCases } from "./cases/check.js";
import { compareCases } from "./cases/compare.js";
import { deleteCases } from "./cases/deletion.js";
import { keyCases } from "./cases/key.js";
import { listingCases } from "./cases/list.js";
import { loadCases, prefillCases } from "./cases/load.js";
import { readCases } from "./cases/read.js";
import { newCases } from "./cases/records.js";
import { routeCases } from "./cases/route.js";
import { spreadsheetCases } from "./cases/spreadsheet.js";
import { writeCases } from "./cases/write.js";
import { type Prepared, prepare } from "./prepare.js";
import { Stage } from "./stage.js";
import { type Known, leavingNothing, ReadRefused, type Staging, type World } from "./staging.js";
import { countsStatement, sequencesStatement, tablesStatement } from "./statements.js";

/** The steps in the order in which a rehearsal tells of them: the way there, then the way back. */
export const rehearsedSteps: readonly StepName[] = [...new Set([...openSteps, ...saveSteps])];

export interface RehearsalOptions extends World {
  readonly page: Page;
  /** Who is there; empty where nobody is known: then people are made as the page's conditions speak of them. */
  readonly people: readonly Actor[];
  /** Only what is quickly done. */
  readonly quick: boolean;
  /** What the page was so far: its cases are played on the page as it is now, to see what is otherwise. */
  readonly published?: Page | null;
  /** Cases of the developer's own. */
  readonly own?: (prepared: Prepared) => readonly Case[];
  /** Told of each case that was played. */
  readonly onPlayed?: (done: number, all: number, played: Played) => void;
  readonly isCancelled?: () => boolean;
  /** Which of the cases are played: all where nothing is said. */
  readonly only?: (one: Case) => boolean;
}

/** What a rehearsal came to. */
export interface Rehearsal {
  readonly page: string;
  readonly version: string;
  /** ISO 8601, UTC. */
  readonly at: string;
  readonly ms: number;
  readonly quick: boolean;
  readonly cancelled: boolean;
  /** Who it was rehearsed as; null where nobody may open the page. */
  readonly actor: Pick<Actor, "id" | "name" | "roles"> | null;
  /** How many records were looked at, and how many of them the person may edit. */
  readonly records: { readonly lookedAt: number; readonly editable: number };
  readonly cases: readonly Played[];
  /** Cases of the page as it was published that come out otherwise now. */
  readonly changed: readonly Played[];
  readonly counts: Readonly<Record<Verdict, number>>;
  /** What no transaction takes back. */
  readonly left: readonly string[];
}

/** All cases of a page, in the order of the steps. */
export function casesFor(prepared: Prepared): readonly Case[] {
  const cases = [
    ...routeCases(prepared),
    ...keyCases(prepared),
    ...accessCases(prepared),
    ...loadCases(prepared),
    ...prefillCases(prepared),
    ...readCases(prepared),
    ...checkCases(prepared),
    ...compareCases(prepared),
    ...writeCases(prepared),
    ...newCases(prepared),
    ...deleteCases(prepared),
    ...listingCases(prepared),
    ...spreadsheetCases(prepared),
  ];
  return cases.toSorted((a, b) => rehearsedSteps.indexOf(a.step) - rehearsedSteps.indexOf(b.step));
}

async function knownOf(database: Database): Promise<Known> {
  const [[settings], rows] = [await database.run(countsStatement()), await database.run(tablesStatement())];
  const counted = settings?.counts === "on" ? rows : [];
  return {
    tables: new Map(counted.map(({ oid, table }) => [oid ?? "", table ?? ""])),
    oids: `{${counted.map(({ oid }) => oid).join(",")}}`,
    deferred: settings?.deferred ?? null,
  };
}

/**
 * Plays one case: in a transaction of its own, rolled back whatever comes of it.
 *
 * @throws what is no matter of the case: a database that is away
 */
export async function play(one: Case, staging: Staging): Promise<Played> {
  const { world, asked = [] } = staging;
  const begun = world.elapsed();
  let stage: Stage | undefined;
  let verdict: Verdict = "as expected";
  const because: string[] = [];
  try {
    await leavingNothing(world.database, async (inside) => {
      stage = new Stage(inside, staging);
      await one.play(stage);
      await stage.close();
    });
  } catch (error) {
    if (error instanceof LeftOut) [verdict, because[0]] = ["left out", error.message];
    else if (error instanceof NotJudged) [verdict, because[0]] = ["not judged", error.message];
    else if (error instanceof ReadRefused) return play(one, { ...staging, readsMayFail: true });
    else if (error instanceof DatabaseAway) throw error;
    // What the engine throws is a fault of its own; so is a case that can't be played.
    else [verdict, because[0]] = ["otherwise", `It ended in an error: ${(error as Error).message}`];
  }
  // What is stored otherwise than it was sent may be the table's doing: it is asked without the page.
  if (asked.length === 0 && stage && stage.doubted.length > 0) return play(one, { ...staging, asked: stage.doubted });
  const wrong = stage?.wrong ?? [];
  // What was seen to be otherwise stands, whatever could not be judged after it.
  if (wrong.length > 0) [verdict, because.length] = ["otherwise", 0];
  const { play: _, ...told } = one;
  return {
    ...told,
    verdict,
    because: [...new Set([...wrong, ...because])],
    notes: stage?.notes ?? [],
    evidence: stage?.evidence ?? [],
    ms: world.elapsed() - begun,
  };
}

async function sequences(database: Database): Promise<ReadonlyMap<string, bigint>> {
  const rows = await database.run(sequencesStatement());
  return new Map(rows.map(({ sequence, last }) => [sequence ?? "", BigInt(last ?? "0")]));
}

/**
 * Rehearses a page: many prepared requests, each with what must come of it, through the engine that serves it, on the table as it is.
 * Every case is rolled back; sequences go on counting, which is told.
 *
 * @throws DatabaseAway where the database can't be reached
 */
export async function rehearse(options: RehearsalOptions): Promise<Rehearsal> {
  const { page, database, quick, published = null } = options;
  const at = options.now();
  const begun = options.elapsed();
  const known = await knownOf(database);
  const before = await sequences(database);
  const prepared = await prepare(page, database, options.people, at);
  const wanted = (one: Case): boolean => (one.quick || !quick) && options.only?.(one) !== false;
  const own = [...casesFor(prepared), ...(options.own?.(prepared) ?? [])].filter(wanted);
  const former = published ? casesFor(await prepare(published, database, options.people, at)).filter(wanted) : [];
  // Under ids of their own: the draft may have a case of the same kind about the same.
  const idOfPublished = (id: string): string => `published.${id}`;
  const ofPublished = former.map((one): Case => ({ ...one, id: idOfPublished(one.id), isOfPublished: true }));
  const all = own.length + former.length;
  let done = 0;
  const playAll = async (cases: readonly Case[], of: Page): Promise<Played[]> => {
    const played: Played[] = [];
    for (const one of cases) {
      if (options.isCancelled?.()) break;
      const last = await play(one, { world: options, page: of, known });
      played.push(last);
      done += 1;
      options.onPlayed?.(done, all, last);
    }
    return played;
  };
  // What was published first: whether anything is otherwise than it was is soonest known by that.
  const formerly = published ? await playAll(ofPublished, published) : [];
  const cases = await playAll(own, page);
  const fell = new Set(cases.flatMap(({ id, verdict }) => (verdict === "otherwise" ? [idOfPublished(id)] : [])));
  const after = await sequences(database);
  const left = [...after].flatMap(([name, last]) => {
    const by = last - (before.get(name) ?? 0n);
    return by > 0n ? [`The sequence ${name} went on by ${by}: numbers that were drawn are not given back.`] : [];
  });
  const verdicts: readonly Verdict[] = ["as expected", "otherwise", "not judged", "left out"];
  return {
    page: page.name,
    version: page.version,
    at: at.toISOString(),
    ms: options.elapsed() - begun,
    quick,
    cancelled: options.isCancelled?.() === true,
    actor: prepared.actor && { id: prepared.actor.id, name: prepared.actor.name, roles: prepared.actor.roles },
    records: { lookedAt: prepared.rows.length, editable: prepared.editable.length },
    cases,
    changed: formerly.filter(({ id, verdict }) => verdict === "otherwise" && !fell.has(id)),
    counts: Object.fromEntries(
      verdicts.map((verdict) => [verdict, cases.filter((each) => each.verdict === verdict).length]),
    ) as Record<Verdict, number>,
    left,
  };
}
