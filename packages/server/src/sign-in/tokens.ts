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
  if (!found || found.token.endsAt <= now || !found.account.active) return null;
  const { id, name, pages, usedAt } = found.token;
  if (usedAt === null || now.getTime() - usedAt.getTime() > noteEvery) await store.tokens.noteUse(id, now);
  const actor = actorOf(found.account);
  return { ...actor, name: `${actor.name} (${name})`, ...(pages ? { pages } : {}) };
}
