import { type Attribute, attributesFrom } from "@loyal-quill/core";
import * as v from "valibot";
import { plain } from "../api/shapes.js";
import { attributesShape, rolesShape, saidOf } from "./new-account.js";

/** Which claims of a provider's are a person's roles and attributes. */
export interface ClaimNames {
  /** The claim that lists a person's roles, and which of its values is which role here; without a map each is the role of its name. */
  readonly rolesClaim: string;
  readonly roles: Readonly<Record<string, string>> | null;
  /** Claims that become attributes for conditions, by the attribute's name. */
  readonly attributes: Readonly<Record<string, string>>;
}

/** Somebody as a provider vouches for them. */
export interface Person {
  /** The provider, as it calls itself. */
  readonly issuer: string;
  readonly subject: string;
  readonly email: string;
  /** Whether the provider calls the address theirs. */
  readonly isVerified: boolean;
  readonly name: string;
  readonly roles: readonly string[];
  readonly attributes: Readonly<Record<string, Attribute>>;
  /** Whether the provider says anything of roles at all. */
  readonly hasRoles: boolean;
}

/** Some providers write it as a text. */
const truth = v.union([
  v.boolean(),
  v.pipe(
    v.picklist(["true", "false"]),
    v.transform((text) => text === "true"),
  ),
]);

const part = v.optional(v.pipe(plain, v.maxLength(200)));

const claimsShape = v.looseObject({
  iss: v.pipe(plain, v.minLength(1), v.maxLength(1000)),
  sub: v.pipe(plain, v.minLength(1), v.maxLength(1000)),
  email: v.pipe(plain, v.toLowerCase(), v.email(), v.maxLength(254)),
  email_verified: v.optional(truth),
  name: part,
  given_name: part,
  family_name: part,
});

type Claims = Readonly<Record<string, unknown>>;

/** A claim by its name, or by the names on the way to it, as in `realm_access.roles`; undefined where there is none. */
function claimAt(claims: Claims, name: string): unknown {
  const inside = (value: unknown, part: string): unknown =>
    typeof value === "object" && value !== null && Object.hasOwn(value, part) ? (value as Claims)[part] : undefined;
  // A name may have points itself: many providers want claims of one's own to be addresses.
  return Object.hasOwn(claims, name) ? claims[name] : name.split(".").reduce<unknown>(inside, claims);
}

/** What can be stored of somebody. @throws Error where it can't be */
function storable<Shape extends v.GenericSchema>(shape: Shape, value: unknown): v.InferOutput<Shape> {
  const read = v.safeParse(shape, value);
  if (read.success) return read.output;
  throw new Error(`The account can't be made of the provider's claims. ${saidOf(read.issues[0])}`);
}

/**
 * The person that claims of an ID token and of the provider's UserInfo tell of (OpenID Connect Core, 5.1). What can't be stored whole is refused: half
 * a list would be other rights than those that the provider gives.
 *
 * @throws Error that names the claim, and never tells its value
 */
export function personOf(claims: Claims, names: ClaimNames): Person {
  const read = v.safeParse(claimsShape, claims);
  if (!read.success) {
    const claim = String(read.issues[0].path?.[0]?.key ?? "");
    throw new Error(
      claimAt(claims, claim) === undefined
        ? `The provider sends no claim ${claim}: ask for it in QUILL_OIDC_SCOPE, or have it sent there.`
        : `The claim ${claim} is not as OpenID Connect Core, 5.1, has it.`,
    );
  }
  const { iss, sub, email, email_verified: isVerified, name, given_name: given, family_name: family } = read.output;
  // Many providers tell the parts only.
  const parts = [given, family].flatMap((each) => each?.trim() || []).join(" ");
  const { rolesClaim, roles: map } = names;
  const told = claimAt(claims, rolesClaim);
  const listed = [told].flat().flatMap((each) => (["string", "number"].includes(typeof each) ? String(each) : []));
  const roles = map ? listed.flatMap((each) => (Object.hasOwn(map, each) ? (map[each] ?? []) : [])) : listed;
  const attributes = Object.entries(names.attributes).map(([name, claim]) => [name, claimAt(claims, claim)]);
  return {
    issuer: iss,
    subject: sub,
    email,
    isVerified: isVerified === true,
    name: name?.trim() || parts.slice(0, 200) || email,
    ...storable(v.object({ roles: rolesShape, attributes: attributesShape }), {
      roles: [...new Set(roles)],
      attributes: attributesFrom(Object.fromEntries(attributes)),
    }),
    hasRoles: told !== undefined,
  };
}
