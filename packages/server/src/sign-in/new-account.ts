import { randomUUID } from "node:crypto";
import { recordOf } from "@loyal-quill/core";
import * as v from "valibot";
import { plain } from "../api/shapes.js";
import { impossibleAttribute } from "../store/accounts.js";
import type { Account } from "../store/entities.js";
import type { Store } from "../store/store.js";
import { type Doer, note } from "../trail.js";
import { hashPassword, newPassword } from "./passwords.js";

/* What is wrong is said behind the name of what it is about: "E-mail must be an e-mail address." */

/** A line of text that is not empty. */
export const line = v.pipe(
  plain,
  v.trim(),
  v.minLength(1, "must not be empty"),
  v.maxLength(200, "must have at most 200 characters"),
);

const attribute = v.union(
  [
    v.null_(),
    v.boolean(),
    v.number(),
    v.pipe(plain, v.maxLength(1000, "must have at most 1,000 characters")),
    v.pipe(
      v.array(v.pipe(plain, v.maxLength(200, "must have texts of at most 200 characters"))),
      v.maxLength(200, "must have at most 200 texts"),
    ),
  ],
  "must be a text of at most 1,000 characters, a number, true, false, null, or a list of at most 200 texts of at most 200 characters",
);
const attributeName = v.pipe(
  plain,
  v.regex(/^[A-Za-z_]\w{0,60}$/, "must have names of letters, digits and _, like region_id"),
);

export const rolesShape = v.pipe(v.array(line), v.maxLength(200, "must be at most 200"));

export const attributesShape = v.pipe(
  recordOf(attributeName, attribute),
  v.check(
    (given) => impossibleAttribute(given) === undefined,
    "must not be called like a member of every JavaScript object, such as constructor",
  ),
);

/** An account as somebody asks for it. */
export const accountShape = v.strictObject({
  email: v.pipe(line, v.toLowerCase(), v.email("must be an e-mail address")),
  name: line,
  roles: rolesShape,
  attributes: attributesShape,
  active: v.boolean(),
});

/** What forms and commands call what they send. */
const labels = {
  email: "E-mail",
  name: "Name",
  roles: "Roles",
  attributes: "Attributes",
  pages: "Pages",
  days: "Expires in",
} as const;

/** What is wrong with what was asked for, as a sentence. */
export function saidOf(issue: v.BaseIssue<unknown>): string {
  const [first, second] = (issue.path ?? []).map((part) => String(part.key));
  const label = labels[first as keyof typeof labels] ?? first ?? "The account";
  const within = first === "attributes" && second !== undefined ? `${label} (${second})` : label;
  return `${within} ${issue.message}.`;
}

/** What came of asking for an account: it and its first password, which is chosen anew at the first sign-in; or why there is none. */
export type NewAccountResult =
  | { readonly account: Account; readonly password: string }
  | { readonly refused: "not-understood" | "taken" | "gone"; readonly said: string };

/**
 * Makes an account with a password that nobody knows yet, and takes note of it.
 *
 * @param asked what somebody sent: held against {@link accountShape}
 */
export async function makeAccount(store: Store, asked: unknown, by: Doer): Promise<NewAccountResult> {
  const read = v.safeParse(accountShape, asked);
  if (!read.success) return { refused: "not-understood", said: saidOf(read.issues[0]) };
  const [id, password] = [randomUUID(), newPassword()];
  const passwordHash = await hashPassword(password);
  if (!(await store.accounts.make({ ...read.output, id, passwordHash, mustChangePassword: true })))
    return { refused: "taken", said: `There is an account of ${read.output.email} already.` };
  const account = await store.accounts.one(id);
  if (!account) return { refused: "gone", said: "The account is gone again." };
  const { email, roles } = account;
  await note(store, by, "account.made", { name: email, id }, { roles: roles.join(", ") });
  return { account, password };
}
