import { actTable, importedTable, installedTable, isAct } from "./acts.js";
import {
  type Entry,
  entryHash,
  hexOf,
  MerkleTree,
  type Range,
  rangesOf,
  type Seal,
  type Sha256,
  sealHash,
} from "./canonical.js";

/** What can be wrong with a log. */
export const logFindingKinds = {
  changed: "an entry is not what it was when it was written",
  missing: "an entry is gone",
  inserted: "an entry was put in later",
  order: "an entry does not follow the one before it of its record",
  seal: "a seal is not what it was",
  "seal-missing": "a seal is gone",
  root: "the entries are not those that were sealed",
  signature: "a signature does not fit",
  outside: "a seal differs from the copy that was kept elsewhere",
  erased: "values are gone without an erasure that was sealed",
  row: "a row is not what its log says",
  watch: "a table is not watched as it should be",
  act: "something was done to the log that is not told by an entry and a seal of it",
  function: "something in the log's schema is not what is made there",
} as const;
export type LogFindingKind = keyof typeof logFindingKinds;

/** What a log was held against from elsewhere: seals, how many and the last one; and whether signatures were checked. */
export interface FromElsewhere {
  readonly seals: number;
  readonly last: string | null;
  readonly signatures: boolean;
  /** The places that were to be read and could not be, each with why; left out where there were none. */
  readonly unread?: readonly string[];
}

/** What verifying can't rule out, whatever it finds. */
export function beyondVerifying({ seals, last, signatures }: FromElsewhere): string {
  if (last !== null)
    return `Held against ${seals === 1 ? "one seal" : `${seals} seals`} from elsewhere, the last of which is seal ${last}. That the log's owner has rewritten what came after it can't be ruled out.`;
  return signatures
    ? "Signatures were checked, and there were no seals from elsewhere: that the log's owner has cut off its newest part can't be ruled out."
    : "There were no seals from elsewhere: that the log's owner has rewritten it, with all of its hashes and seals, can't be ruled out.";
}

/** Something that is wrong with a log, and where. */
export interface LogFinding {
  readonly kind: LogFindingKind;
  /** Where: `entry 12`, `seal 3`, `network.station {"code": "MV-001"}`. */
  readonly place: string;
  readonly said: string;
}

/** The last entry of a record, as the log keeps it. */
export interface Head {
  readonly table: string;
  readonly key: string;
  readonly id: string;
  /** In hexadecimal digits. */
  readonly hash: string;
}

/** What the verifier is told of the last seal besides: how far it came, and what it left out since it was not there yet. */
export interface Upto {
  readonly upto: string;
  readonly open: string;
}

/** What is verified: everything, or a part. */
interface VerifyScope {
  /** Whether every entry of the log is read; else only those of some seals, or of a record. */
  readonly whole: boolean;
  /** Whether the entries of the seals that are read are all read, so that roots can be told. */
  readonly roots: boolean;
}

const same = (one: Uint8Array | null, other: Uint8Array | null): boolean =>
  one === null || other === null
    ? one === other
    : one.length === other.length && !one.some((byte, index) => byte !== other[index]);

/** A range of numbers that a seal is over. */
interface Sealed {
  readonly from: bigint;
  readonly before: bigint;
  readonly seal: Seal;
}

const inside = (ranges: readonly Range[], id: bigint): boolean => {
  let [low, high] = [0, ranges.length - 1];
  while (low <= high) {
    const middle = (low + high) >> 1;
    const [from, before] = ranges[middle] ?? [0n, 0n];
    if (id < from) high = middle - 1;
    else if (id >= before) low = middle + 1;
    else return true;
  }
  return false;
};

/** Ranges that have no numbers in common, in their order, put together where one goes on where another ends. */
function joined(ranges: readonly Range[]): string {
  const parts: [bigint, bigint][] = [];
  for (const [from, before] of ordered(ranges)) {
    const last = parts.at(-1);
    if (last && last[1] === from) last[1] = before;
    else parts.push([from, before]);
  }
  return parts.map(([from, before]) => `[${from},${before})`).join(",");
}

/** What a seal's detail says; null where it is no object. */
export function detailOf(text: string): Readonly<Record<string, unknown>> | null {
  try {
    const detail: unknown = JSON.parse(text);
    return detail !== null && typeof detail === "object" && !Array.isArray(detail)
      ? (detail as Readonly<Record<string, unknown>>)
      : null;
  } catch {
    return null;
  }
}

/** The same members with the same values, whatever their order. */
const canonical = (detail: Readonly<Record<string, unknown>>): string =>
  JSON.stringify(Object.entries(detail).toSorted(([a], [b]) => (a < b ? -1 : 1)));

/** What was erased: of which entries, which of their values. */
interface Erasure {
  readonly ranges: readonly Range[];
  /** Null where the seal does not say: all of them, of seals before acts had entries. */
  readonly fields: readonly string[] | null;
  readonly reasons: boolean;
}

const ordered = (ranges: readonly Range[]): Range[] => ranges.toSorted((a, b) => (a[0] < b[0] ? -1 : 1));

const bytesOf = (hexadecimal: string): Uint8Array =>
  Uint8Array.from({ length: hexadecimal.length / 2 }, (_, index) =>
    Number.parseInt(hexadecimal.slice(2 * index, 2 * index + 2), 16),
  );

/** Whether an entry has a value that its hash is not over: where one was erased, or is told to nobody. */
const saysMore = ({ fields, reason, erasedReason }: Entry): boolean =>
  (erasedReason !== null && reason !== null) ||
  fields.some(
    (each) =>
      (each.hidden && (each.old !== null || each.new !== null)) ||
      (each.erased?.old !== undefined && each.old !== null) ||
      (each.erased?.new !== undefined && each.new !== null),
  );

/**
 * Verifies a log that is read to it: first all seals in their order, then the entries by number, then the last entry of each record. It asks
 * nothing of whoever reads but that all was read as of one moment.
 */
export class LogVerifier {
  readonly counts = { entries: 0, seals: 0, records: 0, unsealed: 0, erased: 0, dropped: 0 };
  private lastSeal: Seal | null = null;
  private isSigned = false;
  private readonly unsigned: string[] = [];
  /** The hashes of entries from which values were erased. */
  private readonly erasedHashes = new Map<string, Uint8Array>();
  private sealed: Sealed[] = [];
  private readonly dropped: Range[] = [];
  private readonly erasures: Erasure[] = [];
  /** The seals of acts, and the entries about the log itself. */
  private readonly acts: Seal[] = [];
  private readonly actEntries: Entry[] = [];
  /** The seals over entries of each month since it was dropped last. */
  private readonly months = new Map<string, Seal[]>();
  private readonly trees = new Map<string, MerkleTree>();
  private readonly heads = new Map<string, { readonly id: string; readonly hash: Uint8Array }>();
  /** Where the walk through what was sealed stands: the range, and the next number in it. */
  private place = 0;
  private next = 0n;
  private lastId: bigint | null = null;
  private open: Range[] = [];
  private upto = 0n;
  private begun = false;

  constructor(
    private readonly sha256: Sha256,
    private readonly scope: VerifyScope,
    /** Told of each finding. */
    private readonly found: (finding: LogFinding) => void,
    /** Whether a signature fits a hash; null where it is by a key that is not known. */
    private readonly signed?: (hash: Uint8Array, signature: string, by: string) => boolean | null,
  ) {}

  private say(kind: LogFindingKind, place: string, said: string): void {
    this.found({ kind, place, said });
  }

  /** @param judged whether its entries are read as well */
  seal(seal: Seal, judged = true): void {
    const place = `seal ${seal.number}`;
    this.counts.seals++;
    const expected = BigInt(this.lastSeal?.number ?? 0) + 1n;
    if (BigInt(seal.number) !== expected)
      this.say("seal-missing", `seal ${expected}`, `After seal ${expected - 1n} comes seal ${seal.number}.`);
    else if (seal.previous !== (this.lastSeal?.hash ?? null))
      this.say("seal", place, "It is not chained to the seal before it.");
    const hash = sealHash(this.sha256, seal);
    if (hexOf(hash) !== seal.hash) this.say("seal", place, "Its content does not give its hash.");
    if (seal.signature !== null) {
      for (const number of this.unsigned.splice(0))
        this.say("signature", `seal ${number}`, "It is not signed, and those before and after it are.");
      this.isSigned = true;
      if (this.signed?.(hash, seal.signature, seal.signedBy ?? "") === false)
        this.say("signature", place, `It was not signed by the key ${seal.signedBy ?? ""}.`);
    } else if (this.signed && this.isSigned) {
      // What was done to the log is signed with the entries that are sealed next.
      if (seal.kind === "entries") this.say("signature", place, "It is not signed, and one before it is.");
      else this.unsigned.push(seal.number);
    }
    this.lastSeal = seal;
    const ranges = rangesOf(seal.ids);
    if (seal.kind !== "entries") this.acts.push(seal);
    if (seal.kind === "dropped") {
      this.judgeDrop(seal, ranges);
      this.dropped.push(...ranges);
      this.counts.dropped += ranges.reduce((sum, [from, before]) => sum + Number(before - from), 0);
    } else if (seal.kind === "erased") {
      const { fields, reasons } = detailOf(seal.detail) ?? {};
      this.erasures.push({ ranges, fields: Array.isArray(fields) ? fields : null, reasons: reasons !== false });
    } else if (seal.kind === "entries") {
      if (judged) for (const [from, before] of ranges) this.sealed.push({ from, before, seal });
      const month = seal.month ?? "";
      this.months.set(month, [...(this.months.get(month) ?? []), seal]);
    }
  }

  /** Only a month goes, whole: what was dropped is what was sealed of it, and its root is over those seals. */
  private judgeDrop(seal: Seal, ranges: readonly Range[]): void {
    const ofMonth = this.months.get(seal.month ?? "") ?? [];
    this.months.delete(seal.month ?? "");
    const tree = new MerkleTree(this.sha256);
    for (const { hash } of ofMonth) tree.add(bytesOf(hash));
    const root = tree.root();
    const isWhole = joined(ranges) === joined(ofMonth.flatMap(({ ids }) => rangesOf(ids)));
    if (!isWhole || root === null || hexOf(root) !== seal.root)
      this.say("act", `seal ${seal.number}`, "What it says was dropped is not what was sealed of its month.");
  }

  /** Ends the seals. @param upto null where there is none */
  sealsEnd(upto: Upto | null): void {
    if (this.signed && !this.isSigned && this.lastSeal)
      this.say("signature", `seal ${this.lastSeal.number}`, "No seal is signed by any key.");
    this.dropped.sort((a, b) => (a[0] < b[0] ? -1 : 1));
    this.sealed = this.sealed
      .filter(({ from }) => !inside(this.dropped, from))
      .sort((a, b) => (a.from < b.from ? -1 : 1));
    for (const [index, { from, seal }] of this.sealed.entries()) {
      const before = this.sealed[index - 1];
      if (before && from < before.before)
        this.say("seal", `seal ${seal.number}`, `It is over entries of seal ${before.seal.number} as well.`);
    }
    this.open = upto ? ordered(rangesOf(upto.open)) : [];
    this.upto = upto ? BigInt(upto.upto) : 0n;
    this.next = this.sealed[0]?.from ?? 0n;
    this.begun = true;
  }

  /** Says of the sealed numbers before one that they are gone. @returns the seal that the number is in */
  private walkTo(id: bigint | null): Seal | null {
    for (;;) {
      const here = this.sealed[this.place];
      if (!here) return null;
      if (id !== null && id < this.next) return null;
      const until = id === null || id >= here.before ? here.before : id;
      if (until > this.next && this.scope.roots)
        this.say(
          "missing",
          until - this.next === 1n ? `entry ${this.next}` : `entries ${this.next} to ${until - 1n}`,
          `Seal ${here.seal.number} is over ${until - this.next === 1n ? "it" : "them"}.`,
        );
      if (id !== null && id < here.before) {
        this.next = id + 1n;
        if (this.next === here.before) this.toNextRange();
        return here.seal;
      }
      this.toNextRange();
    }
  }

  private toNextRange(): void {
    this.place++;
    this.next = this.sealed[this.place]?.from ?? 0n;
  }

  entry(entry: Entry): void {
    const place = `entry ${entry.id}`;
    const id = BigInt(entry.id);
    this.counts.entries++;
    if (id === this.lastId) {
      this.say("inserted", place, "There are two entries of this number.");
      return;
    }
    this.lastId = id;
    const hash = entryHash(this.sha256, entry);
    if (!same(hash, entry.hash)) this.say("changed", place, "Its content does not give its hash.");
    else if (saysMore(entry)) this.say("changed", place, "It has a value where its hash knows of none.");
    if (isAct(entry.table)) this.actEntries.push(entry);
    if (this.erasures.some(({ ranges }) => inside(ranges, id))) this.erasedHashes.set(entry.id, hash);
    this.follow(entry, place);
    this.noteErased(entry, id, place);
    const seal = this.walkTo(id);
    // What stands in the tree is the hash that the content gives: a hash that was rewritten with it does not help.
    if (seal) this.tree(seal).add(hash);
    else this.unsealed(id, place);
  }

  private tree(seal: Seal): MerkleTree {
    let tree = this.trees.get(seal.number);
    if (!tree) {
      tree = new MerkleTree(this.sha256);
      this.trees.set(seal.number, tree);
    }
    return tree;
  }

  private unsealed(id: bigint, place: string): void {
    if (inside(this.dropped, id)) this.say("inserted", place, "Its month was dropped.");
    else if (!this.scope.whole) return;
    else if (id <= this.upto && !inside(this.open, id))
      this.say("inserted", place, "What was there when its time was sealed is known, and it was not.");
    else this.counts.unsealed++;
  }

  private follow(entry: Entry, place: string): void {
    const name = `${entry.table} ${entry.key}`;
    const before = this.heads.get(name);
    const { previousId, previous } = entry;
    if (!before) {
      const known = previousId === null || inside(this.dropped, BigInt(previousId)) || !this.scope.whole;
      if (!known) this.say("missing", `entry ${previousId}`, `${place} follows it, and it is not there.`);
    } else if (previousId !== before.id)
      this.say(
        "order",
        place,
        `It follows ${previousId === null ? "none" : `entry ${previousId}`}; the one before it of ${name} is entry ${before.id}.`,
      );
    else if (!same(previous, before.hash))
      this.say("order", place, `Its hash is over another entry ${before.id} than the one that is there.`);
    const here = { id: entry.id, hash: entry.hash };
    this.heads.set(name, here);
    if (entry.newKey !== null) this.heads.set(`${entry.table} ${entry.newKey}`, here);
  }

  private noteErased(entry: Entry, id: bigint, place: string): void {
    const fields = entry.fields.flatMap((each) => (each.erased === undefined ? [] : [each.field]));
    const isReasonErased = entry.erasedReason !== null;
    if (fields.length === 0 && !isReasonErased) return;
    this.counts.erased++;
    const told = this.erasures.filter(({ ranges }) => inside(ranges, id));
    const isTold = (field: string): boolean => told.some((each) => each.fields === null || each.fields.includes(field));
    if (!fields.every(isTold) || (isReasonErased && !told.some(({ reasons }) => reasons)))
      this.say("erased", place, "No seal says that these values of it were erased.");
  }

  /** What was erased leaves the hashes of its entries as they were. */
  private judgeErasure(seal: Seal): void {
    const ids = rangesOf(seal.ids).flatMap(([from, before]) =>
      Array.from({ length: Number(before - from) }, (_, index) => String(from + BigInt(index))),
    );
    const hashes = ids.map((id) => this.erasedHashes.get(id));
    const tree = new MerkleTree(this.sha256);
    for (const hash of hashes) {
      // Others are gone with their month, or are told to be missing.
      if (!hash) return;
      tree.add(hash);
    }
    const root = tree.root();
    if (root === null || hexOf(root) !== seal.root)
      this.say(
        "act",
        `seal ${seal.number}`,
        "It is over other entries than those of which it says that values were erased.",
      );
  }

  /** Each act is an entry and a seal that say the same. */
  private judgeActs(): void {
    const entries = new Map(this.actEntries.map((entry) => [entry.id, entry]));
    const [installed, ...more] = this.actEntries.filter(({ table }) => table === installedTable);
    for (const { id } of more) this.say("act", `entry ${id}`, "The log began already, by an earlier entry.");
    const named = this.acts.find(({ detail }) => typeof detailOf(detail)?.entry === "string");
    const first = installed === undefined ? null : detailOf(installed.fields[0]?.new ?? "");
    // Acts of logs of before had no entries.
    const since = first === null ? BigInt(named?.number ?? "0") - 1n : BigInt(String(first.seals ?? "0"));
    for (const seal of this.acts) {
      const { entry: number, ...told } = detailOf(seal.detail) ?? {};
      if (typeof number !== "string") {
        if (since >= 0n && BigInt(seal.number) > since)
          this.say("act", `seal ${seal.number}`, "No entry tells of what it says.");
        continue;
      }
      const entry = entries.get(number);
      entries.delete(number);
      // An entry may go with its month, by a later act.
      const later = this.acts.some(
        (each) =>
          each.kind === "dropped" &&
          BigInt(each.number) > BigInt(seal.number) &&
          inside(ordered(rangesOf(each.ids)), BigInt(number)),
      );
      if (!entry && later) continue;
      const detail = entry ? detailOf(entry.fields[0]?.new ?? "") : null;
      const isSame =
        entry?.table === actTable(seal.kind) &&
        entry.way === "log" &&
        detail !== null &&
        canonical(detail) === canonical(told);
      if (!isSame || told.ids !== seal.ids || told.root !== seal.root)
        this.say("act", `seal ${seal.number}`, `Entry ${number} does not tell of what it says.`);
      if (seal.kind === "erased") this.judgeErasure(seal);
    }
    for (const { id, table } of entries.values())
      if (table !== installedTable && table !== importedTable)
        this.say("act", `entry ${id}`, "No seal says what it tells of.");
  }

  /** A record's last entry, as the log keeps it. */
  head({ table, key, id, hash }: Head): void {
    const name = `${table} ${key}`;
    const known = this.heads.get(name);
    this.heads.delete(name);
    this.counts.records++;
    if (inside(this.dropped, BigInt(id))) return;
    if (!known) this.say("missing", `entry ${id}`, `It is the last one of ${name}, and none is there.`);
    else if (BigInt(known.id) < BigInt(id))
      this.say("missing", `entry ${id}`, `It is the last one of ${name}; entry ${known.id} is the last that is there.`);
    else if (known.id !== id || hexOf(known.hash) !== hash)
      this.say("inserted", `entry ${known.id}`, `The last entry of ${name} is entry ${id}, of another hash.`);
  }

  /** Ends the entries and, where all were read, the last entries. @param withHeads whether those were told */
  end(withHeads: boolean): void {
    if (!this.begun) throw new Error("The seals were not ended.");
    if (this.scope.roots) {
      this.walkTo(null);
      for (const seal of new Set(this.sealed.map((each) => each.seal))) {
        const root = this.tree(seal).root();
        if (root === null || hexOf(root) !== seal.root)
          this.say("root", `seal ${seal.number}`, "Its entries do not give the root that was sealed.");
      }
    }
    if (withHeads)
      for (const [name, { id }] of this.heads)
        this.say("inserted", `entry ${id}`, `The log does not know of a last entry of ${name}.`);
    if (this.scope.whole) this.judgeActs();
  }
}
