import { rowIn } from "../postgres/answered.js";
import { arrayText, type Entry, hexOf, type Sha256 } from "./canonical.js";
import type { LogFinding } from "./verify.js";

/** How a table is watched, as the log says. */
export interface WatchedTable {
  readonly table: string;
  readonly key: readonly string[];
  /** The columns whose values are logged and digested. */
  readonly columns: readonly string[];
  /** The last entry before watching began. */
  readonly sinceId: string;
  readonly hasBaseline: boolean;
}

/** A value at an entry; undefined where it was erased. */
interface Noted {
  readonly id: bigint;
  readonly value: string | null | undefined;
}

/** What the log says of a row. */
class RowState {
  /** The last value of each field, and the first that it had. */
  readonly last = new Map<string, Noted>();
  readonly first = new Map<string, Noted>();
  gone = false;
  /** Whether it came to be after watching began. */
  born = false;
  lastId = 0n;
  seen = false;

  constructor(
    /** The key that it had when watching began. */
    readonly firstKey: string,
  ) {}

  note(entry: Entry): void {
    this.lastId = BigInt(entry.id);
    const id = this.lastId;
    if (entry.operation === "insert") {
      this.gone = false;
      this.born ||= this.first.size === 0;
    } else if (entry.operation === "delete") this.gone = true;
    for (const each of entry.fields) {
      if (each.hidden) continue;
      if (!this.born && !this.first.has(each.field))
        this.first.set(each.field, { id, value: each.erased?.old === undefined ? each.old : undefined });
      this.last.set(each.field, { id, value: each.erased?.new === undefined ? each.new : undefined });
    }
  }
}

/**
 * Holds the rows of a watched table against what the log says of them: told all entries since watching began by number, then what is known of each
 * row at that time, then the rows as they are now.
 */
export class WatchedRows {
  private readonly states = new Map<string, RowState>();
  private readonly baseline = new Map<string, string>();
  private readonly keySets: (readonly string[])[];
  private readonly keySetNames: Set<string>;

  constructor(
    private readonly sha256: Sha256,
    private readonly watched: WatchedTable,
    /** Whether all entries since then are there: some may have been dropped. */
    private readonly complete: boolean,
    private readonly found: (finding: LogFinding) => void,
  ) {
    this.keySets = [watched.key];
    this.keySetNames = new Set([watched.key.toSorted().join("\0")]);
  }

  entry(entry: Entry): void {
    if (entry.table !== this.watched.table || BigInt(entry.id) <= BigInt(this.watched.sinceId)) return;
    const names = Object.keys(rowIn(entry.key)).toSorted();
    if (!this.keySetNames.has(names.join("\0"))) {
      this.keySetNames.add(names.join("\0"));
      this.keySets.push(names);
    }
    const state = this.states.get(entry.key) ?? new RowState(entry.key);
    state.note(entry);
    if (entry.newKey !== null) this.states.delete(entry.key);
    this.states.set(entry.newKey ?? entry.key, state);
  }

  /** The sets of columns by which the log names rows of it, the watched one first. */
  keys(): readonly (readonly string[])[] {
    return this.keySets;
  }

  /** @param digest in hexadecimal digits */
  rowAtFirst(key: string, digest: string): void {
    this.baseline.set(key, digest);
  }

  private say(key: string, said: string): void {
    this.found({ kind: "row", place: `${this.watched.table} ${key}`, said });
  }

  private digest(values: readonly (string | null)[]): string {
    return hexOf(this.sha256(arrayText(values)));
  }

  /**
   * @param keys its key by each of {@link keys}, as `jsonb` prints it
   * @param values of the watched columns, in their order
   */
  row(keys: readonly string[], values: readonly (string | null)[]): void {
    const { columns } = this.watched;
    const states = keys.flatMap((key) => this.states.get(key) ?? []).toSorted((a, b) => (a.lastId < b.lastId ? -1 : 1));
    for (const state of states) state.seen = true;
    const key = keys[0] ?? "";
    const firstKey = states.length === 0 ? key : (states.find(({ born }) => !born)?.firstKey ?? "");
    const known = this.baseline.get(firstKey);
    this.baseline.delete(firstKey);
    if (states.at(-1)?.gone) {
      this.say(key, "It is there, and its log says that it was deleted.");
      return;
    }
    const differing = columns.filter((name, index) => {
      const noted = states
        .flatMap((state) => state.last.get(name) ?? [])
        .reduce<Noted | null>((newest, each) => (newest === null || each.id > newest.id ? each : newest), null);
      return noted !== null && noted.value !== undefined && noted.value !== values[index];
    });
    if (differing.length > 0) this.say(key, `What is in ${differing.join(", ")} is not what its log says.`);
    else this.compareWithFirst(key, states, values, known);
  }

  private compareWithFirst(
    key: string,
    states: readonly RowState[],
    values: readonly (string | null)[],
    known: string | undefined,
  ): void {
    if (!this.watched.hasBaseline || !this.complete || states.some((state) => state.born)) return;
    if (known === undefined) {
      this.say(key, "It is there, and its log does not say how it came to be.");
      return;
    }
    const atFirst = this.atFirst(states, values);
    if (atFirst !== null && this.digest(atFirst) !== known)
      this.say(key, "Something in it that was never logged is not what it was when watching began.");
  }

  /** The values when watching began; null where one was erased since. */
  private atFirst(states: readonly RowState[], values: readonly (string | null)[]): readonly (string | null)[] | null {
    const before = this.watched.columns.map((name, index) => {
      const noted = states
        .flatMap((state) => state.first.get(name) ?? [])
        .reduce<Noted | null>((oldest, each) => (oldest === null || each.id < oldest.id ? each : oldest), null);
      return noted === null ? (values[index] ?? null) : noted.value;
    });
    return before.includes(undefined) ? null : (before as (string | null)[]);
  }

  /** Ends the rows: what the log knows of and was not there. */
  end(): void {
    const main = this.watched.key.toSorted().join("\0");
    for (const [key, state] of this.states) {
      const isMain = Object.keys(rowIn(key)).toSorted().join("\0") === main;
      if (state.gone && this.complete && isMain) {
        const known = this.baseline.get(state.firstKey);
        this.baseline.delete(state.firstKey);
        const atFirst = this.atFirst(
          [state],
          this.watched.columns.map(() => null),
        );
        if (known !== undefined && atFirst !== null && this.digest(atFirst) !== known)
          this.say(key, "What it held when it was deleted does not lead back to what it was when watching began.");
      } else if (!state.gone && !state.seen && isMain) {
        this.baseline.delete(state.firstKey);
        this.say(key, "It is gone, and its log does not say so.");
      }
    }
    if (!this.complete) return;
    for (const key of this.baseline.keys()) this.say(key, "It is gone, and its log does not say so.");
  }
}
