import { randomUUID } from "node:crypto";
import { byCommand, hashPassword, impossibleAttribute, newPassword, note, Store } from "@loyal-quill/server";
import type { Say } from "../cluster/cluster.js";
import { CannotStart } from "../listen.js";

interface AccountOptions {
  readonly store: string;
  readonly email: string;
  readonly name: string;
  readonly roles: readonly string[];
  /** `region_id=2`: what conditions know of the person besides. */
  readonly attributes: Readonly<Record<string, string>>;
}

/** `quill account add`: somebody who can sign in, with a password that is shown once. */
export async function addAccount(options: AccountOptions, say: Say): Promise<void> {
  const impossible = impossibleAttribute(options.attributes);
  if (impossible !== undefined)
    throw new CannotStart(
      `An attribute can't be called "${impossible}": every JavaScript object has a member of that name.`,
    );
  const store = await Store.open(options.store, options.store);
  try {
    const email = options.email.toLowerCase();
    const [id, password] = [randomUUID(), newPassword()];
    const isNew = await store.accounts.make({
      id,
      email,
      name: options.name,
      passwordHash: await hashPassword(password),
      roles: [...options.roles],
      attributes: options.attributes,
      active: true,
      mustChangePassword: true,
    });
    if (!isNew) throw new CannotStart(`There is an account for ${email} already.`);
    await note(store, byCommand, "account.made", { name: email, id }, { roles: options.roles.join(", ") });
    say(`${email} can sign in with the password ${password} (shown this once), and chooses another one then.`);
  } finally {
    await store.close();
  }
}
