import { readFileSync } from "node:fs";
import { placesOf } from "@loyal-quill/core/postgres/places";
import type { SignInSettings, SignOnSettings } from "@loyal-quill/server";
import { CannotStart } from "./listen.js";

/**
 * A secret from the environment: the variable itself, or the file that the variable with `_FILE` at its end names, as containers and
 * service managers hand them over. No secret needs to stand on a command line.
 */
export function secretOf(name: string, environment: NodeJS.ProcessEnv = process.env): string | undefined {
  const [told, file] = [environment[name], environment[`${name}_FILE`]];
  if (told && file) throw new CannotStart(`${name} and ${name}_FILE are both set: leave one of them out.`);
  if (!file) return told || undefined;
  try {
    return readFileSync(file, "utf8").trim() || undefined;
  } catch {
    throw new CannotStart(`${name}_FILE names ${file}, which can't be read.`);
  }
}

/** Several secrets, a space, comma or line between each; undefined for none. */
export function secretsOfEnvironment(...names: readonly string[]): readonly string[] | undefined {
  const text = names.map((name) => secretOf(name)).find((each) => each !== undefined);
  const all = text?.split(/[\s,]+/).filter(Boolean) ?? [];
  return all.length > 0 ? all : undefined;
}

/** `a=b,c=d`. */
function pairs(name: string, text: string): Record<string, string> {
  return Object.fromEntries(
    text.split(",").map((each) => {
      const [, from, to] = /^\s*([^=]+?)\s*=\s*(.+?)\s*$/.exec(each) ?? [];
      if (from === undefined || to === undefined) throw new CannotStart(`${name} is written like one=two,three=four.`);
      return [from, to];
    }),
  );
}

/** The provider of OpenID Connect, from the environment; undefined where none is named. */
function signOnOf(
  origin: string | undefined,
  environment: NodeJS.ProcessEnv = process.env,
): SignOnSettings | undefined {
  const issuer = environment.QUILL_OIDC_ISSUER;
  if (!issuer) return undefined;
  const needed = (name: string, value: string | undefined): string => {
    if (!value) throw new CannotStart(`QUILL_OIDC_ISSUER is set, so ${name} is needed as well.`);
    return value;
  };
  if (!URL.canParse(issuer)) throw new CannotStart(`QUILL_OIDC_ISSUER is no address: ${issuer}`);
  const attributes = environment.QUILL_OIDC_ATTRIBUTES
    ? pairs("QUILL_OIDC_ATTRIBUTES", environment.QUILL_OIDC_ATTRIBUTES)
    : {};
  // As the store has it (impossibleAttribute), which commands that need no store don't load.
  const impossible = Object.keys(attributes).find((name) => name in Object.prototype);
  if (impossible !== undefined)
    throw new CannotStart(
      `QUILL_OIDC_ATTRIBUTES can't make an attribute "${impossible}": every JavaScript object has a member of that name.`,
    );
  return {
    issuer,
    clientId: needed("QUILL_OIDC_CLIENT_ID", environment.QUILL_OIDC_CLIENT_ID),
    clientSecret: needed("QUILL_OIDC_CLIENT_SECRET", secretOf("QUILL_OIDC_CLIENT_SECRET", environment)),
    name: environment.QUILL_OIDC_NAME || new URL(issuer).hostname,
    scope: environment.QUILL_OIDC_SCOPE || "openid email profile",
    unverifiedAddresses: environment.QUILL_OIDC_UNVERIFIED_ADDRESSES === "true",
    rolesClaim: environment.QUILL_OIDC_ROLES_CLAIM || "roles",
    roles: environment.QUILL_OIDC_ROLES ? pairs("QUILL_OIDC_ROLES", environment.QUILL_OIDC_ROLES) : null,
    attributes,
    origin: needed("--origin", origin).replace(/\/$/, ""),
  };
}

/** How people sign in, by the options of `quill serve` and the environment. */
export function signInOf(told: {
  readonly sessionIdle?: number;
  readonly sessionEnd?: number;
  readonly secondFactor?: readonly string[];
  readonly passwords: boolean;
  readonly origin?: string;
}): SignInSettings {
  const elsewhere = signOnOf(told.origin);
  return {
    ...(told.sessionIdle === undefined ? {} : { idle: told.sessionIdle }),
    ...(told.sessionEnd === undefined ? {} : { end: told.sessionEnd * 60 }),
    factorRoles: told.secondFactor ?? [],
    passwords: told.passwords,
    ...(elsewhere ? { elsewhere } : {}),
  };
}

/** Standbys by the name of their database; the first one's has none. */
export type Standbys = ReadonlyMap<string, readonly string[]>;

/** Standbys as they were given, `URL` or `NAME=URL`: on the command line, else in `QUILL_REPLICAS`. */
export function standbysByDatabase(given: readonly string[]): Standbys {
  const all = given.length > 0 ? given : (secretsOfEnvironment("QUILL_REPLICAS") ?? []);
  // An address may hold an equals sign too, but not before its colon.
  const named = all.map((each): [string, string] => {
    const [, name = "", url = each] = /^([^=:/]*)=(.*)$/s.exec(each) ?? [];
    return [name, addressOf(given.length > 0 ? "--replica" : "QUILL_REPLICAS", url)];
  });
  const names = [...new Set(named.map(([name]) => name))];
  return new Map(names.map((name) => [name, named.flatMap(([of, url]) => (of === name ? [url] : []))]));
}

/**
 * An address of a database, looked at.
 *
 * @param where the option or variable that it came from
 * @throws CannotStart where it is none, never with the password in the message
 */
export function addressOf(where: string, url: string): string {
  try {
    placesOf(url);
  } catch (error) {
    throw new CannotStart(`${where}: ${(error as Error).message}`);
  }
  return url;
}

/** The address that an option gives, or a variable of the environment; undefined where neither does. */
export function addressIn(option: string, told: string | undefined, variable: string): string | undefined {
  if (told !== undefined) return addressOf(option, told);
  const url = secretOf(variable);
  return url === undefined ? undefined : addressOf(variable, url);
}

/** The address of the database whose records are edited. */
export function databaseUrl(told: string | undefined): string {
  const url = addressIn("--database, or DATABASE_URL", told, "DATABASE_URL");
  if (url !== undefined) return url;
  throw new CannotStart("Which database? Say --database postgresql://user@host:port/name, or set DATABASE_URL.");
}

/** The address of the store, where there is one. */
export const storeUrl = (told: string | undefined): string | undefined => addressIn("--store", told, "QUILL_STORE");

/** A database's address for people: without user and password. */
export function shownUrl(url: string): string {
  const [, hosts = "", name = ""] = /^\w+:\/\/(?:[^/?#]*@)?([^@/?#]*)([^?#]*)/.exec(url) ?? [];
  return `${hosts}${name}` || "the database";
}
