import { type Token, TokenEntity } from "./entities.js";
import type { InStore } from "./in-store.js";

/** The tokens by which programs act as accounts, of one edited database. */
export class Tokens {
  constructor(private readonly store: InStore) {}

  /** The tokens of this database for an account, the newest first. */
  of(accountId: string): Promise<Token[]> {
    const where = { accountId, database: this.store.database };
    return this.store.em().find(TokenEntity, where, { orderBy: { madeAt: "desc" } }) as Promise<Token[]>;
  }

  byDigest(digest: string): Promise<Token | null> {
    return this.store.em().findOne(TokenEntity, { digest, database: this.store.database }) as Promise<Token | null>;
  }

  async keep(token: Omit<Token, "database">): Promise<void> {
    await this.store.em().insert(TokenEntity, { ...token, database: this.store.database });
  }

  async noteUse(id: string, usedAt: Date): Promise<void> {
    await this.store.em().nativeUpdate(TokenEntity, { id }, { usedAt });
  }

  /** Ends a token at once. @returns whether there was one */
  async remove(id: string, accountId: string): Promise<boolean> {
    const where = { id, accountId, database: this.store.database };
    return (await this.store.em().nativeDelete(TokenEntity, where)) > 0;
  }
}
