import { generateKeyPairSync, sign } from "node:crypto";
import { createServer, type Server } from "node:http";
import type { AddressInfo } from "node:net";
import Provider, { type ClientAuthMethod } from "oidc-provider";

/** Somebody whom the provider knows: what it says of them. */
export interface ProvidedPerson {
  readonly sub: string;
  readonly email?: string;
  readonly email_verified?: boolean | string;
  readonly name?: string;
  readonly given_name?: string;
  readonly family_name?: string;
  readonly groups?: readonly (string | number)[];
  readonly region?: unknown;
  readonly realm_access?: { readonly roles: readonly string[] };
}

/** A provider of OpenID Connect on loopback, which asks for no password: whoever is named at it is signed in. */
export interface TestProvider {
  readonly issuer: string;
  readonly clientId: string;
  readonly clientSecret: string;
  /** Who is signed in there by the next request; null for nobody, who is refused. */
  person: ProvidedPerson | null;
  /** The paths that it was asked for. */
  readonly asked: readonly string[];
  /** Whether its ID tokens are signed by a key that is none of its own. */
  forges: boolean;
  readonly close: () => Promise<void>;
}

/**
 * Starts a provider that knows one application.
 *
 * @param origin the application's own address, without a path
 * @param clientAuthMethods how the application may show who it is, the first one how it is registered (OpenID Connect Core, 9)
 */
export async function startProvider(
  origin: string,
  clientAuthMethods: readonly ClientAuthMethod[] = ["client_secret_post"],
): Promise<TestProvider> {
  const server: Server = createServer();
  await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
  const issuer = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  const [clientId, clientSecret] = ["loyal-quill", "a secret for tests, which is long enough"];
  const made: { person: ProvidedPerson | null; forges: boolean } = { person: null, forges: false };
  const { privateKey: foreign } = generateKeyPairSync("rsa", { modulusLength: 2048 });
  const provider = new Provider(issuer, {
    clientAuthMethods: [...clientAuthMethods],
    clients: [
      {
        client_id: clientId,
        client_secret: clientSecret,
        ...(clientAuthMethods[0] && { token_endpoint_auth_method: clientAuthMethods[0] }),
        redirect_uris: [`${origin}/sign-in/elsewhere`],
        post_logout_redirect_uris: [`${origin}/sign-in`],
        grant_types: ["authorization_code"],
        response_types: ["code"],
      },
    ],
    claims: {
      openid: ["sub"],
      email: ["email", "email_verified"],
      profile: ["name", "given_name", "family_name", "groups", "region", "realm_access"],
    },
    cookies: { keys: ["keys of a provider for tests"] },
    pkce: { required: () => true },
    features: { devInteractions: { enabled: false }, rpInitiatedLogout: { enabled: true } },
    interactions: { url: (_context, interaction) => `/person/${interaction.uid}` },
    findAccount: (_context, id) => ({
      accountId: id,
      claims: () => ({ ...(made.person ?? { email: "" }), sub: id }) as never,
    }),
  });
  provider.use(async (context, next) => {
    if (!context.path.startsWith("/person/")) return next();
    const details = await provider.interactionDetails(context.req, context.res);
    const { person } = made;
    if (!person)
      return provider.interactionFinished(
        context.req,
        context.res,
        { error: "access_denied" },
        { mergeWithLastSubmission: false },
      );
    const grant = new provider.Grant({ accountId: person.sub, clientId });
    grant.addOIDCScope(String(details.params.scope));
    return provider.interactionFinished(
      context.req,
      context.res,
      { login: { accountId: person.sub, remember: false }, consent: { grantId: await grant.save() } },
      { mergeWithLastSubmission: false },
    );
  });
  provider.use(async (context, next) => {
    await next();
    const answer = context.body as { id_token?: string } | undefined;
    if (context.path !== "/token" || !made.forges || answer?.id_token === undefined) return;
    const said = answer.id_token.slice(0, answer.id_token.lastIndexOf("."));
    context.body = {
      ...answer,
      id_token: `${said}.${sign("sha256", Buffer.from(said), foreign).toString("base64url")}`,
    };
  });
  const asked: string[] = [];
  server.on("request", (request) => void asked.push(request.url ?? ""));
  server.on("request", provider.callback());
  return Object.assign(made, {
    issuer,
    asked,
    clientId,
    clientSecret,
    close: async (): Promise<void> => {
      server.closeAllConnections();
      await new Promise((resolve) => server.close(resolve));
    },
  });
}
