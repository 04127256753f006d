import type { InferEntity } from "@mikro-orm/core";
import { plainAccount } from "./accounts.js";
import { type Account, type Token, TokenEntity } from "./entities.js";
import type { InStore } from "./in-store.js";
import { tellOfPeople } from "./told-to-all.js";

const plainToken = ({ account, ...found }: InferEntity<typeof TokenEntity>): Token => ({
  ...found,
  accountId: account.id,
  pages: found.pages ?? null,
  usedAt: found.usedAt ?? null,
});

/** The tokens by which programs act as accounts, of one edited database. */
export class Tokens {
  constructor(private readonly store: InStore) {}

  /** The tokens of this database for an account, the newest first. */
  async of(accountId: string): Promise<Token[]> {
    const where = { account: accountId, database: this.store.database };
    return (await this.store.em().find(TokenEntity, where, { orderBy: { madeAt: "desc" } })).map(plainToken);
  }

  /** The token of a digest with the account that it acts as. */
  async byDigest(digest: string): Promise<{ readonly token: Token; readonly account: Account } | null> {
    const where = { digest, database: this.store.database };
    const found = await this.store.em().findOne(TokenEntity, where, { populate: ["account"] });
    return found && { token: plainToken(found), account: plainAccount(found.account) };
  }

  async keep({ accountId, ...token }: Omit<Token, "database">): Promise<void> {
    await this.store.em().insert(TokenEntity, { ...token, account: accountId, database: this.store.database });
    await tellOfPeople(this.store);
  }

  async noteUse(id: string, usedAt: Date): Promise<void> {
    await this.store.em().nativeUpdate(TokenEntity, { id }, { usedAt });
  }

  /** Ends a token at once. @returns whether there was one */
  async remove(id: string, accountId: string): Promise<boolean> {
    const where = { id, account: accountId, database: this.store.database };
    const wasThere = (await this.store.em().nativeDelete(TokenEntity, where)) > 0;
    if (wasThere) await tellOfPeople(this.store);
    return wasThere;
  }
}
