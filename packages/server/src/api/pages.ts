import { type Finding, isError, type Stopped, tableName } from "@loyal-quill/core";
import type { Loaded, PageFileState } from "@loyal-quill/runtime";
import { DeskRefusal } from "../drafts/desk-refusal.js";
import type { Threads } from "../drafts/threads.js";
import type { EditedDatabase } from "../edited-database.js";
import type { PageSummary } from "./answers/sheet.js";
import { pluralIn } from "./plural.js";
import { addressPattern } from "./sheet.js";

const day = 86_400_000;
/** How many days the small charts look back. */
const chartDays = 7;

/** A key's values in the order of the page's address: JSON in PostgreSQL keeps no order. */
export function orderedKey(
  loaded: Loaded,
  page: string,
  key: Readonly<Record<string, string>>,
): Record<string, string> {
  const columns = loaded.pages.find((each) => each.name === page)?.key.map((column) => column.name) ?? [];
  const names = [
    ...columns.filter((name) => name in key),
    ...Object.keys(key).filter((name) => !columns.includes(name)),
  ];
  return Object.fromEntries(names.map((name) => [name, key[name] ?? ""]));
}

/** A page as far as it is known without records. */
interface Known {
  readonly name: string;
  readonly plural: string;
  readonly path: string;
  readonly table: string;
  readonly findings: readonly Finding[];
  readonly isSound: boolean;
  readonly earlier: boolean;
  readonly stopped: readonly Stopped[];
}

const known = ({ name, text, page, findings, earlier }: PageFileState): Known => ({
  name,
  plural: page?.plural ?? pluralIn(text) ?? name,
  path: page ? addressPattern(page) : "",
  table: page ? tableName(page.table) : "",
  findings,
  isSound: page !== null,
  earlier: page !== null && earlier !== undefined,
  stopped: page?.stopped ?? [],
});

/** A draft of a page that is not published yet. One that takes too much says so in its place, and the others are listed. */
async function knownDraft(name: string, text: string, threads: Threads): Promise<Known> {
  try {
    const { plural, path, table, findings, version } = await threads.run("sheet", { name, text });
    return { name, plural, path, table, findings, isSound: version !== null, earlier: false, stopped: [] };
  } catch (error) {
    if (!(error instanceof DeskRefusal)) throw error;
    const finding = { severity: "error", code: "too-much", message: error.message, line: 1, column: 1 } as const;
    return {
      name,
      plural: name,
      path: "",
      table: "",
      findings: [finding],
      isSound: false,
      earlier: false,
      stopped: [],
    };
  }
}

/** Every page, served or drafted only, with what happened to it lately. */
export async function summaries({ pages, store, desk, threads, mount }: EditedDatabase): Promise<PageSummary[]> {
  const loaded = pages.loaded();
  const since = new Date(new Date().setUTCHours(0, 0, 0, 0) - (chartDays - 1) * day);
  const [outcomes, changes, drafts, drifts] = await Promise.all([
    store.requests.outcomes(since),
    store.lastChanges(),
    store.drafts.notes(loaded.files.map(({ name }) => name)),
    desk.drift(),
  ]);
  const drafted = await Promise.all(
    drafts.flatMap(({ page, text }) => (text === null ? [] : [knownDraft(page, text, threads)])),
  );
  const all = [
    ...loaded.files.map((file) => ({ ...known(file), isPublished: true })),
    ...drafted.map((each) => ({ ...each, isPublished: false })),
  ];
  const lastRequests = await store.requests.lastOfEach(all.map(({ name }) => name));
  const changeOf = new Map(changes.map((each) => [each.page, each]));
  const draftOf = new Map(drafts.map((each) => [each.page, each]));
  const countsOf = new Map<string, Record<string, number>>();
  const asked = new Set(outcomes.map(({ page }) => page));
  for (const { page, day: at, outcome, count } of outcomes) {
    const counts = countsOf.get(`${at} ${page}`) ?? {};
    counts[outcome] = count;
    countsOf.set(`${at} ${page}`, counts);
  }
  const lately = Array.from({ length: chartDays }, (_, index) =>
    new Date(since.getTime() + index * day).toISOString().slice(0, 10),
  );
  return all.map(({ name, plural, path, table, findings, isSound, earlier, stopped, isPublished }): PageSummary => {
    const change = changeOf.get(name);
    const draft = draftOf.get(name);
    const errors = findings.filter(isError).length;
    return {
      name,
      plural,
      path,
      listAddress: isPublished && isSound ? `${mount}${path.split("/{")[0] ?? ""}` : null,
      table,
      served: isPublished && isSound,
      earlier,
      stopped,
      published: isPublished,
      draft: draft ? { revision: draft.revision, by: draft.byName, at: draft.at.toISOString() } : null,
      drift: (drifts.get(name) ?? []).map(({ what }) => what),
      errors,
      warnings: findings.length - errors,
      firstFinding: findings.find(isError) ?? findings[0] ?? null,
      days: asked.has(name) ? lately.map((at) => ({ day: at, outcomes: countsOf.get(`${at} ${name}`) ?? {} })) : [],
      lastRequest: lastRequests.get(name) ?? null,
      lastChange: change
        ? {
            at: new Date(change.at).toISOString(),
            by: change.actorName,
            key: orderedKey(loaded, name, change.recordKey),
          }
        : null,
    };
  });
}
