import { randomUUID } from "node:crypto";
import { hashPassword, newPassword, Store } from "@loyal-quill/server";
import type { Say } from "../cluster/cluster.js";
import { CannotStart } from "../listen.js";

export interface AccountOptions {
  readonly store: string;
  readonly email: string;
  readonly name: string;
  readonly roles: readonly string[];
  /** `region_id=2`: what conditions know of the person besides. */
  readonly attributes: Readonly<Record<string, string>>;
}

/** `quill account add`: somebody who can sign in, with a password that is shown once. */
export async function addAccount(options: AccountOptions, say: Say): Promise<void> {
  const store = await Store.open(options.store, options.store);
  try {
    const email = options.email.toLowerCase();
    if (await store.accountByEmail(email)) throw new CannotStart(`There is an account for ${email} already.`);
    const password = newPassword();
    await store.keepAccount({
      id: randomUUID(),
      email,
      name: options.name,
      passwordHash: await hashPassword(password),
      roles: [...options.roles],
      attributes: options.attributes,
      active: true,
    });
    say(`${email} can sign in with the password ${password} (shown this once).`);
  } finally {
    await store.close();
  }
}
