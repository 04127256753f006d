import type { Actor } from "@loyal-quill/core/condition/facts";
import type { FieldChange } from "@loyal-quill/core/log/field-change";
import { changesIn } from "@loyal-quill/core/log/field-change";
import { tokenName } from "@loyal-quill/core/page/names";
import type { Page } from "@loyal-quill/core/page/page";
import {
  Parameters,
  quoted,
  quotedTable,
  type Row,
  type Statement,
  type Stored,
} from "@loyal-quill/core/postgres/statement";
import { readPairs } from "@loyal-quill/core/steps/read-pairs";
import { readToken, writeAgain } from "@loyal-quill/core/steps/token";
import { tableName } from "@loyal-quill/core/table/model";
import { notKept, type RecordedRequest } from "@loyal-quill/core/trip/recording";
import { isSaving } from "@loyal-quill/core/trip/round-trip";
import { byName } from "@loyal-quill/core/values/by-name";
import { bodyOf } from "./browser.js";
import { NotJudged } from "./case.js";
import { Stage } from "./stage.js";
import { countsNothing, leavingNothing, type Sent, type World } from "./staging.js";

/** How a request ended. */
export interface Ending {
  readonly outcome: string;
  readonly status: number;
  readonly stoppedAt: string | null;
  readonly reason: string | null;
}

/** What a request that is played again comes to, beside what it came to then. */
export interface Replayed {
  readonly id: string;
  readonly at: string;
  readonly actor: string | null;
  readonly method: string;
  readonly path: string;
  readonly before: Ending;
  /** Null where it can't be played again. */
  readonly after: Ending | null;
  readonly kind:
    | "the same"
    | "would be saved"
    | "would be refused"
    | "refused otherwise"
    | "would be shown"
    | "would not be shown"
    | "left out";
  /** Why it is left out. */
  readonly because: string | null;
  /** On which row: as it is now, as it was then by the change log, or none at all. */
  readonly row: "now" | "then" | "none";
  /** What was put back for that, by column. */
  readonly putBack: readonly string[];
  readonly recorded: RecordedRequest | null;
}

export interface ReplayOptions extends World {
  readonly page: Page;
  readonly people: readonly Actor[];
  /** Whether the row is put back to what it was then, where it differs. */
  readonly rowsThen: boolean;
}

/** What happened to a record since a moment, the newest first. */
function sinceStatement(page: Page, key: readonly string[], since: string): Statement {
  const parameters = new Parameters();
  const record = JSON.stringify(Object.fromEntries(page.key.map(({ name }, index) => [name, key[index] ?? ""])));
  const [table, own, at] = [
    parameters.add(tableName(page.table), "text"),
    parameters.add(record, "jsonb"),
    parameters.add(since, "timestamptz"),
  ];
  return {
    purpose: "what was changed since",
    text: `SELECT operation, fields::text AS "fields" FROM quill_log.change WHERE table_name = ${table} AND record_key = ${own} AND at >= ${at} ORDER BY id DESC LIMIT 1000`,
    values: parameters.values,
  };
}

function versionStatement(page: Page, key: readonly string[]): Statement {
  const parameters = new Parameters();
  const same = page.key.map(
    (column, index) => `t.${quoted(column.name)} = ${parameters.add(key[index] ?? null, column.type.cast)}`,
  );
  return {
    purpose: "the row's version",
    text: `SELECT t.xmin::text AS "version" FROM ${quotedTable(page.table)} AS t WHERE ${same.join(" AND ")}`,
    values: parameters.values,
  };
}

/** What of a row was otherwise at a moment, by the changes since. */
export function asItWas(row: Row, since: readonly (readonly FieldChange[])[]): Readonly<Record<string, Stored>> {
  const then = byName<Stored>();
  // The newest first: what an older one found there is what stood there longest ago.
  for (const changes of since)
    for (const { field, old, hidden } of changes) if (!hidden && Object.hasOwn(row, field)) then[field] = old;
  return Object.fromEntries(Object.entries(then).filter(([name, value]) => row[name] !== value));
}

const isDone = (outcome: string): boolean => outcome === "saved" || outcome === "unchanged";

function kindOf(before: Ending, after: Ending, saves: boolean): Replayed["kind"] {
  if (saves) {
    if (isDone(before.outcome) !== isDone(after.outcome))
      return isDone(after.outcome) ? "would be saved" : "would be refused";
    if (isDone(before.outcome)) return "the same";
    const same =
      before.outcome === after.outcome && before.stoppedAt === after.stoppedAt && before.reason === after.reason;
    return same ? "the same" : "refused otherwise";
  }
  const [was, is] = [before.status < 400, after.status < 400];
  if (was !== is) return is ? "would be shown" : "would not be shown";
  return was || before.outcome === after.outcome ? "the same" : "refused otherwise";
}

const endingOf = ({ outcome, status, stoppedAt, stopped }: Sent): Ending => ({
  outcome,
  status,
  stoppedAt,
  reason: stopped,
});

export const endingThen = ({ outcome, status, steps }: RecordedRequest): Ending => {
  const stop = steps.find(({ stopped }) => stopped !== null);
  return { outcome, status, stoppedAt: stop?.step ?? null, reason: stop?.stopped ?? null };
};

/** Why a request can't be played again; null where it can. */
function unplayable(recorded: RecordedRequest, actor: Actor | null): string | null {
  const { operation, wire } = recorded;
  if (recorded.actor && !actor) return `${recorded.actor.name} has no account any more.`;
  if (!wire) return "What came over the wire was not kept with it.";
  if (/^(PATCH|DELETE)$/.test(recorded.method) || /^application\/json/.test(wire.headers["content-type"] ?? ""))
    return "It speaks JSON.";
  if (/^multipart\//.test(wire.headers["content-type"] ?? "")) return "Its files are not kept.";
  if (!isSaving(operation)) return null;
  if (wire.body === null) return "Its body was refused unread.";
  if (wire.body.includes("… (")) return "Its body was too long to be kept whole.";
  if (wire.body.includes(encodeURIComponent(notKept))) return "What was typed into a sensitive field is not kept.";
  if (operation === "create" && isDone(recorded.outcome)) return "It made a record, and a form makes one once.";
  return null;
}

async function playAgain(
  stage: Stage,
  recorded: RecordedRequest,
  actor: Actor | null,
  options: ReplayOptions,
): Promise<Replayed> {
  const { page } = options;
  const { wire, key, operation, method, path } = recorded;
  const before = endingThen(recorded);
  const base = { id: recorded.id, at: recorded.at, actor: recorded.actor?.name ?? null, method, path, before };
  const saves = isSaving(operation);
  const isOfOne = key !== null && key.length === page.key.length && operation !== "create";
  const row = isOfOne ? await stage.row(key) : null;
  let putBack: readonly string[] = [];
  if (row && isOfOne && options.rowsThen) {
    const since = await stage.run(sinceStatement(page, key, recorded.at));
    const then = asItWas(
      row,
      since.map(({ fields }) => changesIn(fields)),
    );
    putBack = Object.keys(then);
    if (putBack.length > 0) await stage.put(key, then);
  }
  const told = { row: row === null ? "none" : putBack.length > 0 ? "then" : "now", putBack } as const;
  const query = wire?.query ?? {};
  let sent: Sent;
  if (!saves) sent = await stage.send(method, path, actor, { query });
  else {
    const pairs = readPairs(wire?.body ?? "");
    if (typeof pairs === "string")
      sent = await stage.send(method, path, actor, { query, body: wire?.body ?? "", at: new Date(recorded.at) });
    else {
      const token = pairs.find(([name]) => name === tokenName)?.[1];
      const claims = token === undefined ? undefined : readToken(token, options.signer);
      const [now] = row && isOfOne ? await stage.run(versionStatement(page, key)) : [];
      // A conflict of then was one with a row that had changed in between; otherwise it was the row that had been shown.
      const version = recorded.outcome === "conflict" || !claims ? claims?.row : (now?.version ?? claims.row);
      const renewed =
        claims && writeAgain(claims, { version: page.version, row: version ?? claims.row }, options.signer);
      sent = await stage.send(method, path, actor, {
        query,
        body: bodyOf(pairs, renewed === undefined ? {} : { [tokenName]: renewed }),
        at: new Date(recorded.at),
        ...(claims ? { session: claims.session } : {}),
        key: isOfOne ? key : null,
      });
    }
  }
  const after = endingOf(sent);
  return { ...base, after, kind: kindOf(before, after, saves), because: null, ...told, recorded: sent.recorded };
}

/**
 * Plays a recorded request again on a page as it is now, in a transaction that is rolled back: by the same person with the roles that they
 * have now, at the time of then.
 *
 * @throws DatabaseAway
 */
export async function replay(recorded: RecordedRequest, options: ReplayOptions): Promise<Replayed> {
  const actor = recorded.actor && (options.people.find(({ id }) => id === recorded.actor?.id) ?? null);
  const leftOut = (because: string): Replayed => ({
    id: recorded.id,
    at: recorded.at,
    actor: recorded.actor?.name ?? null,
    method: recorded.method,
    path: recorded.path,
    before: endingThen(recorded),
    after: null,
    kind: "left out",
    because,
    row: "none",
    putBack: [],
    recorded: null,
  });
  const cannot = unplayable(recorded, actor);
  if (cannot !== null) return leftOut(cannot);
  try {
    return await leavingNothing(options.database, (inside) =>
      playAgain(
        new Stage(inside, { world: options, page: options.page, known: countsNothing, readsMayFail: true }),
        recorded,
        actor,
        options,
      ),
    );
  } catch (error) {
    if (error instanceof NotJudged) return leftOut(error.message);
    throw error;
  }
}

/** Plays requests again, one after the other. */
export async function replayAll(
  requests: readonly RecordedRequest[],
  options: ReplayOptions,
  { onPlayed, isCancelled }: { readonly onPlayed?: (done: number) => void; readonly isCancelled?: () => boolean } = {},
): Promise<readonly Replayed[]> {
  const played: Replayed[] = [];
  for (const recorded of requests) {
    if (isCancelled?.()) break;
    played.push(await replay(recorded, options));
    onPlayed?.(played.length / requests.length);
  }
  return played;
}
