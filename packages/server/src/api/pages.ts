import { contentOf } from "@loyal-quill/authoring";
import { isError, tableName } from "@loyal-quill/core";
import type { Loaded } from "@loyal-quill/runtime";
import type { Desk } from "../drafts/desk.js";
import type { Change } from "../store/entities.js";
import type { Store } from "../store/store.js";
import { addressPattern } from "./sheet.js";
import type { ChangeAnswer, PageSummary } from "./types.js";

const day = 86_400_000;
/** How many days the small charts look back. */
const chartDays = 7;

/** A key's values in the order of the page's address: JSON in PostgreSQL keeps no order. */
function orderedKey(loaded: Loaded, page: string, key: Readonly<Record<string, string>>): Record<string, string> {
  const columns = loaded.pages.find((each) => each.name === page)?.key.map((column) => column.name) ?? [];
  const names = [
    ...columns.filter((name) => name in key),
    ...Object.keys(key).filter((name) => !columns.includes(name)),
  ];
  return Object.fromEntries(names.map((name) => [name, key[name] ?? ""]));
}

export const changeAnswer = (loaded: Loaded, change: Change): ChangeAnswer => {
  const { id, at, actorName, page, operation, fields, requestId, reason, way } = change;
  return {
    id,
    at: new Date(at).toISOString(),
    actorName,
    page,
    table: change.tableName,
    key: orderedKey(loaded, page, change.recordKey),
    operation,
    fields,
    requestId,
    reason: reason ?? null,
    way,
  };
};

/** What a page that is out of service calls its records, as far as its file can be read. */
function pluralIn(text: string): string | undefined {
  const plural = contentOf(text)?.plural;
  return typeof plural === "string" ? plural : undefined;
}

/** Every page, served or drafted only, with what happened to it lately. */
export async function summaries(loaded: Loaded, store: Store, desk: Desk, mount: string): Promise<PageSummary[]> {
  const since = new Date(new Date().setUTCHours(0, 0, 0, 0) - (chartDays - 1) * day);
  const [outcomes, changes, drafts, drifts] = await Promise.all([
    store.outcomes(since),
    store.lastChanges(),
    store.drafts(),
    desk.drift(),
  ]);
  const files = [
    ...loaded.files.map((file) => ({ ...file, isPublished: true })),
    ...drafts
      .filter(({ page }) => !loaded.files.some((file) => file.name === page))
      .map(({ page, text }) => ({ ...desk.bind(page, text), isPublished: false })),
  ];
  return Promise.all(
    files.map(async ({ name, text, page, findings, isPublished }): Promise<PageSummary> => {
      const [lastRequest] = await store.requests({ page: name, limit: 1 });
      const change = changes.find((each) => each.page === name);
      const draft = drafts.find((each) => each.page === name);
      const errors = findings.filter(isError).length;
      const days = Array.from({ length: chartDays }, (_, index) => {
        const at = new Date(since.getTime() + index * day).toISOString().slice(0, 10);
        const counts = outcomes.filter((each) => each.page === name && each.day === at);
        return { day: at, outcomes: Object.fromEntries(counts.map((each) => [each.outcome, each.count])) };
      });
      return {
        name,
        plural: page?.plural ?? pluralIn(text) ?? name,
        path: page ? addressPattern(page) : "",
        listAddress: isPublished && page ? `${mount}${page.path.list}` : null,
        table: page ? tableName(page.table) : "",
        served: isPublished && page !== null,
        published: isPublished,
        draft: draft ? { revision: draft.revision, by: draft.byName, at: draft.at.toISOString() } : null,
        drift: (drifts.get(name) ?? []).map(({ what }) => what),
        errors,
        warnings: findings.length - errors,
        firstFinding: findings[0] ?? null,
        days,
        lastRequest: lastRequest ?? null,
        lastChange: change
          ? {
              at: new Date(change.at).toISOString(),
              by: change.actorName,
              key: orderedKey(loaded, name, change.recordKey),
            }
          : null,
      };
    }),
  );
}
