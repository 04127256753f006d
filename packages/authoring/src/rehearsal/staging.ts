import type { handle } from "@loyal-quill/core/operations/handle";
import type { Page } from "@loyal-quill/core/page/page";
import { parserOf } from "@loyal-quill/core/postgres/answered";
import type { Database, Stored } from "@loyal-quill/core/postgres/statement";
import type { route, Site } from "@loyal-quill/core/steps/route";
import type { OutcomeKind } from "@loyal-quill/core/trip/outcome";
import type { StepName } from "@loyal-quill/core/trip/round-trip";
import type { Signer } from "@loyal-quill/core/trip/signer";
import * as v from "valibot";
import type { ReadDocument } from "./browser.js";
import type { Evidence, Touched } from "./evidence.js";

/** What a rehearsal needs of the world. */
export interface World {
  readonly database: Database;
  readonly signer: Signer;
  /** The pages that are served together, this one among them. */
  readonly site: Site;
  readonly now: () => Date;
  /** A new UUID. */
  readonly newId: () => string;
  /** Milliseconds from any start. */
  readonly elapsed: () => number;
  /** The engine that is rehearsed. */
  readonly engine: { readonly route: typeof route; readonly handle: typeof handle };
}

/** What is asked with a request besides method, address and person. */
export interface Asking {
  readonly body?: string | null;
  readonly refusedBody?: "body-too-large" | "wrong-content-type";
  readonly query?: Readonly<Record<string, string>>;
  /** Files that are sent with the body, by the names of their controls. */
  readonly files?: Readonly<Record<string, Uint8Array>>;
  /** Another session of the same person. */
  readonly session?: string;
  readonly at?: Date;
  /** The record to look at before and after. */
  readonly key?: readonly string[] | null;
  /** Stands between the engine and the database: to let a statement fail. */
  readonly through?: (database: Database) => Database;
}

/** An answer with all that is known of how it came about. */
export interface Sent extends Evidence {
  readonly outcome: OutcomeKind | "no page";
  /** The step at which the way ended before its time; null where it did not. */
  readonly stoppedAt: StepName | null;
  readonly stopped: string | null;
  /** What PostgreSQL said where it refused the statement that writes. */
  readonly refused: string | null;
  readonly document: ReadDocument;
  readonly body: string | null;
  /** The record that was looked at. */
  readonly key: readonly string[] | null;
}

/** What a request stored is not what it sent: perhaps the table does that by itself, which is asked in another play of the case. */
export interface Doubted {
  /** The record that was changed; null for one that was added. */
  readonly key: readonly string[] | null;
  readonly values: Readonly<Record<string, Stored>>;
}

export const doubtName = ({ key, values }: Doubted): string => JSON.stringify([key, values]);

/** Carries a result out of a transaction that is rolled back. */
class RolledBack<Result> extends Error {
  constructor(readonly result: Result) {
    super("nothing is left behind");
  }
}

/** Runs something in a transaction that is rolled back, whatever comes of it. */
export async function leavingNothing<Result>(
  database: Database,
  run: (inside: Database) => Promise<Result>,
): Promise<Result> {
  try {
    return await database.transaction<never>(async (inside) => {
      throw new RolledBack(await run(inside));
    }, "trial");
  } catch (error) {
    if (error instanceof RolledBack) return error.result as Result;
    throw error;
  }
}

/** A statement that only reads was refused: the case has to be played again with a savepoint for each. */
export class ReadRefused extends Error {}

/** What is known of a database before cases are played on it. */
export interface Known {
  /** The tables whose rows PostgreSQL counts, by their oids; none where it does not count. */
  readonly tables: ReadonlyMap<string, string>;
  /** Their oids as PostgreSQL writes an array. */
  readonly oids: string;
  /** The constraints that are put off until the end of a transaction, as PostgreSQL writes their names; null where there are none. */
  readonly deferred: string | null;
}

/** For what is not counted. */
export const countsNothing: Known = { tables: new Map(), oids: "{}", deferred: null };

const touchedIn = parserOf(
  v.array(v.object({ oid: v.string(), inserted: v.number(), updated: v.number(), deleted: v.number() })),
  "[]",
);

export function countsIn({ tables }: Known, json: string | null | undefined): Counts {
  const found = touchedIn(json);
  const named = found.map(({ oid, ...counts }) => ({ table: tables.get(oid) ?? oid, ...counts }));
  return new Map(added([named]).map((each) => [each.table, each]));
}

export type Counts = ReadonlyMap<string, Touched>;

export const difference = (now: Counts, before: Counts): Touched[] =>
  [...now.values()].flatMap((each) => {
    const was = before.get(each.table);
    const [inserted, updated, deleted] = [
      each.inserted - (was?.inserted ?? 0),
      each.updated - (was?.updated ?? 0),
      each.deleted - (was?.deleted ?? 0),
    ];
    return inserted + updated + deleted > 0 ? [{ table: each.table, inserted, updated, deleted }] : [];
  });

export function added(lists: readonly (readonly Touched[])[]): Touched[] {
  const sum = new Map<string, Touched>();
  for (const each of lists.flat()) {
    const was = sum.get(each.table) ?? { table: each.table, inserted: 0, updated: 0, deleted: 0 };
    sum.set(each.table, {
      table: each.table,
      inserted: was.inserted + each.inserted,
      updated: was.updated + each.updated,
      deleted: was.deleted + each.deleted,
    });
  }
  return [...sum.values()];
}

/** In words: `network.station: 1 changed`. */
export const touchedInWords = (touched: readonly Touched[]): string =>
  touched
    .map(({ table, inserted, updated, deleted }) => {
      const parts = [
        inserted > 0 && `${inserted} added`,
        updated > 0 && `${updated} changed`,
        deleted > 0 && `${deleted} removed`,
      ].filter(Boolean);
      return `${table}: ${parts.join(", ")}`;
    })
    .join("; ");

/** What a case is played with. */
export interface Staging {
  readonly world: World;
  readonly page: Page;
  readonly known: Known;
  /** Whether statements that only read may be refused, and the transaction go on. */
  readonly readsMayFail?: boolean;
  /** Of which values the table itself is asked what it makes of them. */
  readonly asked?: readonly Doubted[];
}
