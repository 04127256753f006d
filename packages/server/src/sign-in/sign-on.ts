import { randomUUID } from "node:crypto";
import { isDeepStrictEqual } from "node:util";
import express, { type Request, type Response } from "express";
import type { ClientAuth, Configuration } from "openid-client";
import type { Logger } from "pino";
import * as v from "valibot";
import type { Account } from "../store/entities.js";
import type { Store } from "../store/store.js";
import { doerOf, note } from "../trail.js";
import { type ClaimNames, type Person, personOf } from "./claims.js";
import { safeNext } from "./form.js";
import type { Sessions } from "./session.js";

/** How people sign in with a provider of OpenID Connect. */
export interface SignOnSettings extends ClaimNames {
  readonly issuer: string;
  readonly clientId: string;
  readonly clientSecret: string;
  /** What the provider is called on the button. */
  readonly name: string;
  readonly scope: string;
  /** Whether accounts are made for people whose address the provider does not call verified; not where it is left out. */
  readonly unverifiedAddresses?: boolean;
  /** The address of this application as browsers see it, without a path. */
  readonly origin: string;
}

const between = v.object({
  verifier: v.string(),
  state: v.string(),
  nonce: v.string(),
  next: v.string(),
  at: v.number(),
});
const betweenFor = 10 * 60_000;

/** Milliseconds after which a provider is asked anew what it is like. */
const knownFor = 60 * 60_000;

const isLoopback = (address: string): boolean =>
  ["127.0.0.1", "localhost", "[::1]"].includes(new URL(address).hostname);

/** Loaded where somebody signs in so. */
const protocol = () => import("openid-client");

/** A provider of OpenID Connect, found by discovery when it is first needed. */
export class SignOnElsewhere {
  private configuration: Promise<Configuration> | null = null;
  private foundAt = 0;

  constructor(private readonly settings: SignOnSettings) {}

  get name(): string {
    return this.settings.name;
  }

  get rolesClaim(): string {
    return this.settings.rolesClaim;
  }

  /** Whether an account may be made for somebody. */
  isVerified(person: Person): boolean {
    return person.isVerified || this.settings.unverifiedAddresses === true;
  }

  private get redirect(): string {
    return `${this.settings.origin}/sign-in/elsewhere`;
  }

  private async configured(): Promise<Configuration> {
    const oidc = await protocol();
    const { issuer, clientId, clientSecret } = this.settings;
    // Its addresses and what it takes may have changed in the life of a server.
    if (Date.now() - this.foundAt > knownFor) this.configuration = null;
    if (this.configuration) return this.configuration;
    // Plain HTTP only to this machine itself.
    // A token is held against the issuer's keys however it came (OpenID Connect Core, 3.1.3.7 would let TLS stand for it).
    const execute = [oidc.enableNonRepudiationChecks, ...(isLoopback(issuer) ? [oidc.allowInsecureRequests] : [])];
    // What a provider takes that says nothing of it is in the header (OpenID Connect Discovery, 3).
    const authentication: ClientAuth = (server, ...rest) => {
      const inBody = server.token_endpoint_auth_methods_supported?.includes("client_secret_post");
      const way = inBody ? oidc.ClientSecretPost(clientSecret) : oidc.ClientSecretBasic(clientSecret);
      return way(server, ...rest);
    };
    const found = oidc.discovery(new URL(issuer), clientId, undefined, authentication, { execute });
    this.configuration = found;
    this.foundAt = Date.now();
    // A provider that is away now is asked again at the next try.
    found.catch(() => {
      if (this.configuration === found) this.configuration = null;
    });
    return found;
  }

  /** Where a browser goes to sign in, and what must be remembered until it comes back (RFC 6749, 4.1; RFC 7636). */
  async begin(next: string): Promise<{ readonly address: string; readonly waiting: v.InferOutput<typeof between> }> {
    const [oidc, configuration] = [await protocol(), await this.configured()];
    const [verifier, state, nonce] = [oidc.randomPKCECodeVerifier(), oidc.randomState(), oidc.randomNonce()];
    const address = oidc.buildAuthorizationUrl(configuration, {
      redirect_uri: this.redirect,
      scope: this.settings.scope,
      code_challenge: await oidc.calculatePKCECodeChallenge(verifier),
      code_challenge_method: "S256",
      state,
      nonce,
    });
    return { address: address.href, waiting: { verifier, state, nonce, next, at: Date.now() } };
  }

  /** Who came back, as the provider vouches for them. */
  async finish(
    query: string,
    { verifier, state, nonce }: v.InferOutput<typeof between>,
  ): Promise<{ readonly person: Person; readonly idToken: string }> {
    const [oidc, configuration] = [await protocol(), await this.configured()];
    const tokens = await oidc.authorizationCodeGrant(configuration, new URL(`${this.redirect}${query}`), {
      pkceCodeVerifier: verifier,
      expectedState: state,
      expectedNonce: nonce,
      idTokenExpected: true,
    });
    const claims = tokens.claims();
    if (!claims || tokens.id_token === undefined) throw new Error("the provider sent no ID token");
    const more = configuration.serverMetadata().userinfo_endpoint
      ? await oidc.fetchUserInfo(configuration, tokens.access_token, claims.sub)
      : {};
    return { person: personOf({ ...claims, ...more }, this.settings), idToken: tokens.id_token };
  }

  /** Where a browser goes to sign out there as well; null where the provider has no such address (OpenID Connect RP-Initiated Logout). */
  async signOutAddress(idToken: string): Promise<string | null> {
    try {
      const configuration = await this.configured();
      if (!configuration.serverMetadata().end_session_endpoint) return null;
      return (await protocol()).buildEndSessionUrl(configuration, {
        id_token_hint: idToken,
        post_logout_redirect_uri: `${this.settings.origin}/sign-in`,
      }).href;
    } catch {
      return null;
    }
  }
}

interface SignOnRoutes {
  readonly store: Store;
  readonly sessions: Sessions;
  readonly elsewhere: SignOnElsewhere;
  readonly logger: Logger;
  readonly enter: Enter;
}

/** Lets somebody in who has shown who they are: to what must be done first, or to where they were going. */
export type Enter = (
  request: Request,
  response: Response,
  account: Account,
  to: { readonly next: string; readonly carried: string | null },
  detail: Readonly<Record<string, string>>,
  idToken?: string,
) => Promise<void>;

const waitingCookie = "quill_waiting";

/** `GET /sign-in/elsewhere/go` goes there, `GET /sign-in/elsewhere` is where it comes back. */
export function signOnRoutes({ store, sessions, elsewhere, enter, logger }: SignOnRoutes): express.Router {
  const router = express.Router();
  const failed = (response: Response, problem: "elsewhere-failed" | "elsewhere-unknown"): void =>
    response.redirect(303, `/sign-in?problem=${problem}`);

  router.get("/go", async (request, response) => {
    sessions.before(request, response);
    try {
      const { address, waiting } = await elsewhere.begin(safeNext(request.query.next));
      sessions.keep(response, waitingCookie, sessions.sealed(request, waiting), betweenFor);
      response.set("cache-control", "no-store").redirect(303, address);
    } catch (error) {
      logger.warn({ err: error }, "the provider of single sign-on could not be reached");
      failed(response, "elsewhere-failed");
    }
  });

  router.get("/", async (request, response) => {
    const opened = v.safeParse(between, sessions.opened(request, sessions.kept(request, waitingCookie)));
    sessions.forget(response, waitingCookie);
    if (!opened.success || Date.now() - opened.output.at > betweenFor) return failed(response, "elsewhere-failed");
    const { next } = opened.output;
    try {
      const at = request.originalUrl.indexOf("?");
      const { person, idToken } = await elsewhere.finish(at < 0 ? "" : request.originalUrl.slice(at), opened.output);
      if (!person.hasRoles)
        logger.warn(
          { claim: elsewhere.rolesClaim },
          "the provider says nothing of somebody's roles: they have none (QUILL_OIDC_ROLES_CLAIM names the claim)",
        );
      const account = await accountOf(person);
      if (!account?.active) {
        await note(
          store,
          doerOf(request, null),
          "sign-in.failed",
          { name: person.email, id: account?.id ?? null },
          {
            why: account ? "disabled" : "unknown",
            by: elsewhere.name,
          },
        );
        return failed(response, "elsewhere-unknown");
      }
      await enter(request, response, account, { next, carried: null }, { by: elsewhere.name }, idToken);
    } catch (error) {
      logger.warn({ err: error }, "a sign-in by the provider did not work");
      failed(response, "elsewhere-failed");
    }
  });

  /** The account of a person, made or brought up to date by what the provider says of them. */
  async function accountOf(person: Person): Promise<Account | null> {
    const known = await store.accounts.bySubject(person.issuer, person.subject);
    const told = { name: person.name, roles: [...person.roles], attributes: { ...person.attributes } };
    if (known) {
      const { name, roles, attributes } = known;
      if (isDeepStrictEqual(told, { name, roles, attributes })) return known;
      await store.accounts.change(known.id, told);
      return store.accounts.one(known.id);
    }
    if (!elsewhere.isVerified(person)) return null;
    // An account with a password that has this address is somebody's own: it is not given to whoever has the address elsewhere.
    if (await store.accounts.byEmail(person.email)) return null;
    // Where that was done by another window at the same moment, it is the one.
    await store.accounts.make({
      ...told,
      id: randomUUID(),
      email: person.email,
      passwordHash: null,
      active: true,
      issuer: person.issuer,
      subject: person.subject,
    });
    return store.accounts.bySubject(person.issuer, person.subject);
  }

  return router;
}
