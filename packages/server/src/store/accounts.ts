import type { Actor } from "@loyal-quill/core";
import type { InferEntity } from "@mikro-orm/core";
import { type Account, AccountEntity, actorOf, type NewAccount } from "./entities.js";
import type { InStore } from "./in-store.js";
import { tellOfPeople } from "./told-to-all.js";

export const plainAccount = (found: InferEntity<typeof AccountEntity>): Account => ({
  ...found,
  passwordHash: found.passwordHash ?? null,
  totpSecret: found.totpSecret ?? null,
  recovery: found.recovery ?? null,
  issuer: found.issuer ?? null,
  subject: found.subject ?? null,
});

/** A row of the table, as `to_jsonb` tells it. */
export interface AccountRow
  extends Pick<
    Account,
    "id" | "email" | "name" | "roles" | "attributes" | "active" | "recovery" | "issuer" | "subject"
  > {
  readonly password_hash: string | null;
  readonly session_epoch: number;
  readonly must_change_password: boolean;
  readonly totp_secret: string | null;
  readonly totp_step: number;
}

/** The same account as the entity would be: a session comes with it, once a request. */
export const accountOfRow = ({
  password_hash: passwordHash,
  session_epoch: sessionEpoch,
  must_change_password: mustChangePassword,
  totp_secret: totpSecret,
  totp_step: totpStep,
  ...same
}: AccountRow): Account => ({ ...same, passwordHash, sessionEpoch, mustChangePassword, totpSecret, totpStep });

/** Whoever makes or revises accounts is alone until the end of their transaction. */
const lock = "SELECT pg_advisory_xact_lock(hashtext('loyal-quill accounts'))";

/**
 * @returns the first of an account's attributes that can't be called so: the store's ORM takes a member of every JavaScript object, such as
 *   `constructor`, for what it is there
 */
export const impossibleAttribute = (attributes: object): string | undefined =>
  Object.keys(attributes).find((name) => name in Object.prototype);

/** What can be set of an account. */
export type AccountChange = Partial<Omit<Account, "id" | "sessionEpoch">>;

/** Who can sign in, and with what. They are shared by all edited databases. */
export class Accounts {
  constructor(private readonly store: InStore) {}

  async one(id: string): Promise<Account | null> {
    const found = await this.store.em().findOne(AccountEntity, { id });
    return found && plainAccount(found);
  }

  /** Those of the accounts that there are, by their ids. */
  async of(ids: readonly string[]): Promise<ReadonlyMap<string, Account>> {
    const found = await this.store.em().find(AccountEntity, { id: { $in: [...new Set(ids)] } });
    return new Map(found.map((each) => [each.id, plainAccount(each)]));
  }

  async byEmail(email: string): Promise<Account | null> {
    const found = await this.store.em().findOne(AccountEntity, { email: email.toLowerCase() });
    return found && plainAccount(found);
  }

  /** The account that signs in elsewhere under these; an issuer is the same with a slash at its end, as it may have been written before. */
  async bySubject(issuer: string, subject: string): Promise<Account | null> {
    const bare = issuer.replace(/\/$/, "");
    const found = await this.store.em().findOne(AccountEntity, { issuer: { $in: [bare, `${bare}/`] }, subject });
    return found && plainAccount(found);
  }

  async all(): Promise<Account[]> {
    return (await this.store.em().findAll(AccountEntity, { orderBy: { name: "asc" } })).map(plainAccount);
  }

  /** Everybody who can sign in, as conditions know them, by name. */
  async people(): Promise<Actor[]> {
    return (await this.all()).flatMap((account) => (account.active ? actorOf(account) : []));
  }

  /** Adds an account, or sets the one with that id to what is given. */
  async keep(account: NewAccount): Promise<void> {
    await this.store.em().upsert(AccountEntity, account);
  }

  /** Makes an account. @returns false where there is one already of its address, or of its subject at the issuer */
  async make(account: NewAccount): Promise<boolean> {
    const { email, issuer = null, subject = null } = account;
    const isMade = await this.store.em().transactional(async (em) => {
      await em.execute(lock);
      const isElsewhere = issuer === null ? [] : [{ issuer, subject }];
      if ((await em.count(AccountEntity, { $or: [{ email }, ...isElsewhere] })) > 0) return false;
      await em.upsert(AccountEntity, account);
      return true;
    });
    if (isMade) await tellOfPeople(this.store);
    return isMade;
  }

  /** Sets some of an account, and leaves the rest as it is meanwhile. */
  async change(id: string, change: AccountChange): Promise<void> {
    await this.store.em().nativeUpdate(AccountEntity, { id }, change);
    await tellOfPeople(this.store);
  }

  /**
   * Changes an account to what `decide` makes of it: nobody else changes one in this way between its look and the change.
   *
   * @param decide sees the account as it is and all others; answers what is set, or why nothing is
   * @returns what it decided against, or the account before and after; null where there is none
   */
  async revise<Refusal extends object>(
    id: string,
    decide: (found: Account, others: readonly Account[]) => { readonly change: AccountChange } | Refusal,
  ): Promise<Refusal | { readonly before: Account; readonly after: Account } | null> {
    const came = await this.store.em().transactional(async (em) => {
      await em.execute(lock);
      const all = await em.find(AccountEntity, {});
      const found = all.find((each) => each.id === id);
      if (!found) return null;
      const before = plainAccount(found);
      const decided = decide(before, all.filter((each) => each !== found).map(plainAccount));
      if (!("change" in decided)) return decided;
      em.assign(found, decided.change);
      await em.flush();
      return { before, after: plainAccount(found) };
    });
    if (came !== null && "after" in came) await tellOfPeople(this.store);
    return came;
  }

  /** Ends all sessions of an account, for good. @returns the account as it is then */
  async endSessions(id: string): Promise<Account | null> {
    const em = this.store.em();
    await em.execute("UPDATE account SET session_epoch = session_epoch + 1 WHERE id = ?", [id]);
    await em.execute("DELETE FROM session WHERE account_id = ?", [id]);
    await tellOfPeople(this.store);
    return this.one(id);
  }

  /** Takes note that a code of a step of time was taken. @returns false where one of it or a later one was already */
  async takeStep(id: string, step: number): Promise<boolean> {
    return (
      (await this.store.em().nativeUpdate(AccountEntity, { id, totpStep: { $lt: step } }, { totpStep: step })) === 1
    );
  }

  /** Takes a recovery code, of which there is one less then. @returns false where there is no such code */
  async takeRecovery(id: string, digest: string): Promise<boolean> {
    const rows = await this.store
      .em()
      .execute<unknown[]>(
        "UPDATE account SET recovery = recovery - ?::text WHERE id = ? AND jsonb_exists(recovery, ?) RETURNING id",
        [digest, id, digest],
      );
    return rows.length === 1;
  }

  /** Removes tries to sign in that no longer count. */
  async forgetAttempts(): Promise<void> {
    await this.store.em().execute("DELETE FROM attempt WHERE expire < ?", [Date.now()]);
  }
}
