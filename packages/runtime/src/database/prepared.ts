import { randomBytes } from "node:crypto";

/** What of a connection is used: messages of the extended query protocol (PostgreSQL documentation, 55.2.3). */
export interface Messages {
  parse(message: { name: string; text: string; types: readonly number[] }): void;
  bind(message: { portal: string; statement: string; values: readonly (string | null)[] }): void;
  describe(message: { type: "P"; name: string }): void;
  execute(message: { portal: string }): void;
  close(message: { type: "S"; name: string }): void;
  sync(): void;
}

/** A statement that a connection keeps. */
interface Kept {
  readonly name: string;
  /** Whether it was sent to be parsed. */
  isParsed: boolean;
  /** What its columns are called; null until PostgreSQL has said so. */
  columns: readonly string[] | null;
}

/** A connection keeps this many statements: about a megabyte of PostgreSQL's memory. */
const usualMost = 500;

/** Before the names of statements: another copy of this module may use the same pool. */
const prefix = `quill_${randomBytes(3).toString("hex")}`;

/**
 * What PostgreSQL plans, so that its text alone decides the columns of its answer: once it is prepared, PostgreSQL refuses to run it with others (0A000).
 * The answer of any other command is decided elsewhere: that of FETCH by its cursor, that of SHOW by a setting.
 */
const isPlanned = (text: string): boolean => /^\s*(?:WITH|SELECT|INSERT|UPDATE|DELETE|MERGE|VALUES)\b/i.test(text);

/** The statements that one connection keeps prepared, by their texts. The one that was used longest ago is given back for a new one. */
export class Prepared {
  /** In the order in which they were last used. */
  private readonly kept = new Map<string, Kept>();
  private made = 0;

  constructor(private readonly most = usualMost) {}

  /** The statement with this text, which is kept from now on; null for one that can't be. */
  of(text: string, connection: Messages): Kept | null {
    if (!isPlanned(text)) return null;
    const known = this.kept.get(text);
    this.kept.delete(text);
    if (!known && this.kept.size >= this.most) {
      const [oldest] = this.kept.keys();
      if (oldest !== undefined) this.giveBack(oldest, connection);
    }
    const statement = known ?? { name: `${prefix}_${++this.made}`, isParsed: false, columns: null };
    this.kept.set(text, statement);
    return statement;
  }

  /** Closes a statement, so that it is prepared anew when it is asked for again. */
  giveBack(text: string, connection: Messages): void {
    const known = this.kept.get(text);
    if (!known) return;
    this.kept.delete(text);
    if (known.isParsed) connection.close({ type: "S", name: known.name });
  }
}

const ofConnections = new WeakMap<object, Prepared>();

/** What a connection keeps, whoever asks: several sets of pages may go over one pool. */
export function preparedOn(connection: object): Prepared {
  const prepared = ofConnections.get(connection) ?? new Prepared();
  ofConnections.set(connection, prepared);
  return prepared;
}
