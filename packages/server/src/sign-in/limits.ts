import type pg from "pg";
import { RateLimiterPostgres, RateLimiterRes } from "rate-limiter-flexible";
import type { Keys } from "../keys.js";

const quarter = 15 * 60;

/** Who tries to sign in: from where, as whom, and whether from a device on which that account has signed in before. */
export interface Attempt {
  readonly address: string;
  /** In small letters, without white space around it. */
  readonly email: string;
  /** What stands for the device, where it is known for this account. */
  readonly device: string | null;
}

/** Whether a try is within the limits; the first beyond them is worth a line of the trail, and those after it would only fill it. */
export type Taken = "left" | "first beyond" | "beyond";

/**
 * Tries that failed, kept in the store, so that a restart or a second process forgets none.
 *
 * A device on which somebody has signed in before has tries of its own: whatever others do elsewhere, that person is not locked out
 * (OWASP, "Slow down online guessing attacks with device cookies"). All other devices together have a hundred for an account.
 */
export class SignInLimits {
  private readonly device: RateLimiterPostgres;
  private readonly pair: RateLimiterPostgres;
  private readonly address: RateLimiterPostgres;
  private readonly account: RateLimiterPostgres;
  private readonly factor: RateLimiterPostgres;

  constructor(
    pool: pg.Pool,
    private readonly keys: Keys,
  ) {
    const limiter = (keyPrefix: string, points: number, duration: number): RateLimiterPostgres =>
      new RateLimiterPostgres({
        storeClient: nameless(pool),
        storeType: "pool",
        tableName: "attempt",
        tableCreated: true,
        clearExpiredByTimeout: false,
        keyPrefix,
        points,
        duration,
      });
    this.device = limiter("device", 10, quarter);
    this.pair = limiter("pair", 10, quarter);
    this.address = limiter("address", 50, quarter);
    this.account = limiter("account", 100, 3600);
    this.factor = limiter("factor", 10, quarter);
  }

  /**
   * Counts a try before it is judged, so that any number at once are no more than one after the other.
   *
   * @returns whether it may be judged
   */
  async take(attempt: Attempt): Promise<Taken> {
    for (const [limiter, key] of this.countersOf(attempt)) {
      const taken = await takeOne(limiter, key);
      if (taken !== "left") return taken;
    }
    return "left";
  }

  /** Takes a try back that was none: the password was right. */
  async giveBack(attempt: Attempt): Promise<void> {
    await Promise.all(this.countersOf(attempt).map(([limiter, key]) => limiter.reward(key)));
  }

  /** Counts a code of the second factor for an account. */
  takeCode(account: string): Promise<Taken> {
    return takeOne(this.factor, account);
  }

  async forgetCodes(account: string): Promise<void> {
    await this.factor.delete(account);
  }

  private countersOf({ address, email, device }: Attempt): readonly (readonly [RateLimiterPostgres, string])[] {
    // What is typed as an address may be a password: no more than a digest of it is kept.
    const account = this.keys.sign("attempts", email);
    return device === null
      ? [
          [this.pair, `${account} ${address}`],
          [this.address, address],
          [this.account, account],
        ]
      : [[this.device, device]];
  }
}

/** A pool to which no statement goes under a name: behind a pooler in transaction mode the next connection would know it, or know it not. */
const nameless = (pool: pg.Pool): Pick<pg.Pool, "query"> =>
  ({ query: ({ name: _, ...query }: pg.QueryConfig) => pool.query(query) }) as Pick<pg.Pool, "query">;

async function takeOne(limiter: RateLimiterPostgres, key: string): Promise<Taken> {
  try {
    await limiter.consume(key);
    return "left";
  } catch (error) {
    if (error instanceof RateLimiterRes) return error.consumedPoints === limiter.points + 1 ? "first beyond" : "beyond";
    throw error;
  }
}

/** An address as tries are counted by it: of IPv6 the network of 64 bits, of which one customer has all (RFC 6177). */
export function countedAddress(address: string): string {
  if (!address.includes(":")) return address;
  if (address.startsWith("::ffff:") && address.includes(".")) return address.slice(7);
  const [head = "", tail] = address.split("::");
  const groups = head === "" ? [] : head.split(":");
  if (tail !== undefined) {
    const after = tail === "" ? [] : tail.split(":");
    while (groups.length + after.length < 8) groups.push("0");
    groups.push(...after);
  }
  return groups.slice(0, 4).join(":");
}
