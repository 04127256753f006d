import { createHmac, timingSafeEqual } from "node:crypto";

/*
 * What a form remembers of its making goes along with it as JSON, signed: nobody can make one for somebody else, and no other site can make one
 * at all. That is what stands against forged requests.
 */

const signature = (json: string, secret: string): Buffer =>
  createHmac("sha256", secret).update(`form ${json}`).digest();

/** What a form remembers of its making: of which page's record, for whom, and what its controls showed. */
interface Claims<Texts> {
  readonly page: string;
  readonly key: readonly string[];
  readonly actor: string;
  readonly shown: Texts;
}

export function writeToken<Texts>(claims: Claims<Texts>, secret: string): string {
  const json = JSON.stringify(claims);
  return `${signature(json, secret).toString("base64url")}.${json}`;
}

/** What the controls of a form showed that was made here, of this record and for this person; null for any other. */
export function readToken<Texts>(
  token: string | undefined,
  wanted: Omit<Claims<Texts>, "shown">,
  secret: string,
): Texts | null {
  const dot = token?.indexOf(".") ?? -1;
  if (token === undefined || dot < 0) return null;
  const [given, json] = [Buffer.from(token.slice(0, dot), "base64url"), token.slice(dot + 1)];
  const own = signature(json, secret);
  if (given.length !== own.length || !timingSafeEqual(given, own)) return null;
  const { page, key, actor, shown } = JSON.parse(json) as Claims<Texts>;
  return page === wanted.page && actor === wanted.actor && key.join("\n") === wanted.key.join("\n") ? shown : null;
}
