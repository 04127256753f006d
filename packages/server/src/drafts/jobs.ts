import { differenceInWords, differences, type Merged, mergePageFiles, reviewAgainstRows } from "@loyal-quill/authoring";
import { type Actor, describedSettings, factsOf, nobody, type Page, parsePage } from "@loyal-quill/core";
import { type BoundPageFile, bindPageFile, type Loaded } from "@loyal-quill/runtime";
import type {
  ConditionAnswer,
  DraftTrialAnswer,
  EffectAnswer,
  ListTrialAnswer,
  RecordChoice,
  SheetAnswer,
  TrialAnswer,
} from "../api/answers/sheet.js";
import { type ConditionQuestion, judgeCondition } from "../api/conditions.js";
import { effects } from "../api/people.js";
import { extremeRecords, firstSeen, neighbour, recordChoices } from "../api/records.js";
import { sheetOf } from "../api/sheet.js";
import { type TrialOptions, trial, trialOfList, trialOfNew, tryingAs } from "../api/trial.js";
import type { CodeAnswer } from "../api/types.js";

/** What a job is run with, in its thread. */
export interface Ground {
  readonly loaded: Loaded;
  readonly options: TrialOptions & { readonly databaseUrl: string };
}

/** A page file's text under the name that it has or is to have. */
export interface Draft {
  readonly name: string;
  readonly text: string;
}

interface Tried extends Draft {
  readonly key?: readonly string[] | undefined;
  readonly as?: string | undefined;
  readonly form?: string | undefined;
  readonly fresh?: boolean | undefined;
  /** Those through whose eyes it can be tried. */
  readonly people: readonly Actor[];
}

/** The last drafts that were bound: one edit of a Sheet asks for several things of the same text. */
const bound = new WeakMap<Loaded, Map<string, BoundPageFile>>();
const mostBound = 8;

function bind({ loaded }: Ground, { name, text }: Draft): BoundPageFile {
  const known = bound.get(loaded) ?? new Map<string, BoundPageFile>();
  bound.set(loaded, known);
  const mark = `${name}\n${text}`;
  const found = known.get(mark) ?? bindPageFile(name, text, loaded);
  known.delete(mark);
  known.set(mark, found);
  for (const old of [...known.keys()].slice(0, Math.max(0, known.size - mostBound))) known.delete(old);
  return found;
}

const pageOf = (ground: Ground, draft: Draft): Page | null => bind(ground, draft).page;

/** The differences of two texts in words, one a line; a text that can't be read says so. */
function inWords(before: string, after: string): readonly string[] {
  const found = differences(before, after);
  if (!found) return ["the text can't be read as YAML"];
  if (found.length === 0 && before !== after) return ["comments and layout only"];
  return found.map((difference) => differenceInWords(difference, describedSettings()));
}

/** The record that was asked for, or the form of a new one; null where neither can be shown. */
async function tried({ options }: Ground, page: Page, given: Tried): Promise<TrialAnswer | null> {
  const { key, as, form, fresh, people } = given;
  const hasKey = key?.length === page.key.length;
  const actor = hasKey || fresh ? tryingAs(people, page, as) : null;
  if (!actor) return null;
  return key && hasKey ? trial(options, page, { key, actor, form: form ?? null }) : trialOfNew(options, page, actor);
}

/** Everything that is made of a draft's text. What goes in and out is plain data, and may come from another thread. */
export const jobs = {
  /** What the Sheet shows of a draft, apart from records. */
  sheet: (ground: Ground, draft: Draft): SheetAnswer => sheetOf(bind(ground, draft), ground.options.mount),

  /** The table that a text names, if it can be read. */
  tableName(_ground: Ground, { text }: { readonly text: string }): string | null {
    const parsed = parsePage(text);
    return parsed.ok ? parsed.page.file.record.table : null;
  },

  merge: (
    _ground: Ground,
    { base, mine, theirs }: { readonly base: string; readonly mine: string; readonly theirs: string },
  ): Merged => mergePageFiles(base, mine, theirs),

  /** What each pair of texts differs in, in words. */
  differences: (
    _ground: Ground,
    { pairs }: { readonly pairs: readonly (readonly [before: string, after: string])[] },
  ): readonly (readonly string[])[] => pairs.map(([before, after]) => inWords(before, after)),

  async trial(ground: Ground, given: Tried): Promise<DraftTrialAnswer> {
    const { page } = bind(ground, given);
    return { sheet: jobs.sheet(ground, given), trial: page && (await tried(ground, page, given)) };
  },

  async list(
    ground: Ground,
    given: Draft & Pick<Tried, "as" | "people"> & { readonly query: Readonly<Record<string, string>> },
  ): Promise<ListTrialAnswer | null> {
    const page = pageOf(ground, given);
    const actor = tryingAs(given.people, page, given.as);
    return page && actor ? trialOfList(ground.options, page, actor, given.query) : null;
  },

  /** For whom publishing changes what they may do. */
  async effects(
    ground: Ground,
    { name, text, published, people }: Draft & { readonly published: string | null; readonly people: readonly Actor[] },
  ): Promise<readonly EffectAnswer[]> {
    const before = published === null ? null : pageOf(ground, { name, text: published });
    const after = pageOf(ground, { name, text });
    return after ? effects(before, after, people, ground.options.database) : [];
  },

  async review(ground: Ground, draft: Draft): Promise<Awaited<ReturnType<typeof reviewAgainstRows>>> {
    const { page, parsed } = bind(ground, draft);
    return page && parsed ? reviewAgainstRows(page, parsed, ground.options.database) : [];
  },

  /** The page as plain code; what lays it out is loaded when somebody asks. */
  async code(ground: Ground, draft: Draft): Promise<CodeAnswer | null> {
    const page = pageOf(ground, draft);
    if (!page) return null;
    const { exportPage } = await import("@loyal-quill/authoring/export");
    return exportPage(page);
  },

  async condition(
    ground: Ground,
    given: Draft & Pick<Tried, "as" | "people"> & { readonly question: ConditionQuestion },
  ): Promise<ConditionAnswer> {
    const draft = bind(ground, given);
    const facts = factsOf(tryingAs(given.people, draft.page, given.as) ?? nobody, new Date());
    return judgeCondition(given.question, draft, ground.loaded, { facts, database: ground.options.database });
  },

  /** Records that contain a text; null where the page has errors. */
  async records(ground: Ground, given: Draft & { readonly search: string }): Promise<readonly RecordChoice[] | null> {
    const page = pageOf(ground, given);
    return page && recordChoices(page, ground.options.database, given.search);
  },

  async extremes(ground: Ground, given: Draft): Promise<readonly RecordChoice[] | null> {
    const page = pageOf(ground, given);
    return page && extremeRecords(page, ground.options.database);
  },

  /** The key of the first record that somebody sees; null where they see none, and an empty one where the page has errors. */
  async first(ground: Ground, given: Draft & Pick<Tried, "as" | "people">): Promise<readonly string[] | null> {
    const page = pageOf(ground, given);
    if (!page) return [];
    const actor = tryingAs(given.people, page, given.as);
    return actor ? firstSeen(page, ground.options.database, actor) : null;
  },

  async neighbour(
    ground: Ground,
    given: Draft & { readonly key: readonly string[]; readonly by: 1 | -1 },
  ): Promise<readonly string[] | null> {
    const page = pageOf(ground, given);
    return page ? neighbour(page, ground.options.database, given.key, given.by) : null;
  },
} as const;

export type Jobs = typeof jobs;
export type JobName = keyof Jobs;
export type Given<Name extends JobName> = Parameters<Jobs[Name]>[1];
export type Came<Name extends JobName> = Awaited<ReturnType<Jobs[Name]>>;

/** The page of a draft, for what is run in a thread of its own. */
export const boundPage = pageOf;
