import { randomBytes } from "node:crypto";
import type { Actor } from "@loyal-quill/core";
import type { Request } from "express";
import { actorOf } from "../store/entities.js";
import type { Store } from "../store/store.js";
import { digestOf } from "./passwords.js";

/** A new token: 256 random bits, with a beginning by which it is known where it is found lying about. */
export const newToken = (): string => `quill_${randomBytes(32).toString("base64url")}`;

/** The token that a request carries (RFC 6750, 2.1); null where it carries none, empty where it is none of ours. */
export function bearerOf(request: Request): string | null {
  const header = request.get("authorization");
  if (header === undefined) return null;
  return /^Bearer +(quill_[\w-]{43})$/i.exec(header)?.[1] ?? "";
}

/** Uses are noted once a minute at most. */
const noteEvery = 60_000;

/**
 * The actor of a token: its account, which may open the token's pages and no others.
 *
 * @returns null where there is no such token, it has ended, or its account is disabled
 */
export async function actorOfToken(token: string, store: Store): Promise<Actor | null> {
  const found = token === "" ? null : await store.tokens.byDigest(digestOf(token));
  const now = new Date();
  if (!found || found.endsAt <= now) return null;
  const account = await store.accounts.one(found.accountId);
  if (!account?.active) return null;
  if (found.usedAt === null || now.getTime() - found.usedAt.getTime() > noteEvery)
    await store.tokens.noteUse(found.id, now);
  const actor = actorOf(account);
  return { ...actor, name: `${actor.name} (${found.name})`, ...(found.pages ? { pages: found.pages } : {}) };
}
