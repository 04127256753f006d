import { byCommand, makeAccount } from "@loyal-quill/server";
import type { Say } from "../cluster/cluster.js";
import { CannotStart } from "../listen.js";
import { withStore } from "../open-store.js";

interface AccountOptions {
  readonly store: string;
  readonly email: string;
  readonly name: string;
  readonly roles: readonly string[];
  /** `region_id=2`: what conditions know of the person besides. */
  readonly attributes: Readonly<Record<string, string>>;
}

/** `quill account add`: somebody who can sign in, with a password that is shown once. */
export async function addAccount({ store: url, ...asked }: AccountOptions, say: Say): Promise<void> {
  const made = await withStore(url, true, (store) => makeAccount(store, { ...asked, active: true }, byCommand));
  if ("refused" in made) throw new CannotStart(made.said);
  const { account, password } = made;
  say(`${account.email} can sign in with the password ${password} (shown this once), and chooses another one then.`);
}
