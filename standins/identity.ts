import express, { type Express, type Request, type Response } from "express";
import { createLocalJWKSet, decodeJwt, exportJWK, generateKeyPair, jwtVerify, type JWK } from "jose";
import type { AdapterPayload, KoaContextWithOIDC, Provider, ResourceServer } from "oidc-provider";
import { identityPage } from "./identity-page.js";
import { IdentityStore } from "./identity-store.js";
import type { Definition } from "./stand-in.js";

export const staffClient = { id: "staff-robot", secret: "sc-41d0ffae77b2" };
/** Proves itself in the body only. */
export const staffPostClient = { id: "staff-post-robot", secret: "sp-90a3be12c6d4" };
export const boardsClient = { id: "boards-console", secret: "bc-6fd2307e91aa" };
export const ledgerOffice = {
  id: "ledger-office",
  secret: "lo-2b8e61f04c9d",
  user: "ines",
  password: "Crowns & 12 huts",
};
/** Proves itself with a key; its public half is a setting (`ledgerJwk`). */
export const ledgerMachine = { id: "ledger-machine" };

export const staffResource = "https://staff.larkspur.example";
export const boardsResource = "https://boards.larkspur.example";
export const ledgerResource = "https://ledger.larkspur.example";

const jwtBearer = "urn:ietf:params:oauth:grant-type:jwt-bearer";

/** What an API learns of a token that it was sent. */
export interface Accepted {
  scopes: string[];
  /** Undefined if the token is for no API in particular. */
  audience: string | undefined;
}

export interface Identity extends Definition {
  /** What a token is good for; undefined if it is not good (any more). */
  accept(token: string): Promise<Accepted | undefined>;
}

/**
 * The authorization server for staff, boards and ledger: a server library for OAuth 2.0 and OpenID Connect, with the
 * grants password and JWT bearer added to it. Access tokens are JWTs (RFC 9068), refresh tokens rotate.
 */
export function identity(): Identity {
  const first = {
    redirectUris: [] as string[],
    tokenSeconds: 60,
    ledgerJwk: null as JWK | null,
    acceptFrom: 0,
    dateOffset: 0,
  };
  const settings = { ...first };
  const store = new IdentityStore(() => clientsOf(settings));
  let making: Promise<Provider> | undefined;
  let issuer = "";
  let keys: JWK | undefined;

  const provider = (request: Request): Promise<Provider> => {
    issuer = `${request.protocol}://${request.get("host")}`;
    return (making ??= makeProvider(issuer, store, settings).then((made) => {
      keys = made.publicKey;
      return made.provider;
    }));
  };

  return {
    name: "identity",
    settings,
    reset: () => {
      store.clear();
      Object.assign(settings, {
        ...first,
        redirectUris: settings.redirectUris,
        ledgerJwk: settings.ledgerJwk,
      });
    },
    async accept(token) {
      if (!keys) return undefined;
      try {
        const { payload } = await jwtVerify(token, createLocalJWKSet({ keys: [keys] }), { issuer });
        if ((payload.iat ?? 0) * 1_000 < settings.acceptFrom) return undefined;
        const audience = [payload.aud ?? []].flat()[0];
        return {
          scopes: String(payload["scope"] ?? "")
            .split(" ")
            .filter(Boolean),
          audience,
        };
      } catch {
        // No JWT: a token that was asked for without saying for which API.
        const plain = await (await making)?.ClientCredentials.find(token);
        return plain
          ? { scopes: (plain.scope ?? "").split(" ").filter(Boolean), audience: undefined }
          : undefined;
      }
    },
    routes(app: Express) {
      app.post("/_control/revoke", (_request, response) => {
        store.revoke();
        response.status(204).end();
      });
      app.use((_request, response, next) => {
        // A clock that is off, for those who measure it.
        if (settings.dateOffset !== 0)
          response.setHeader("Date", new Date(Date.now() + settings.dateOffset).toUTCString());
        next();
      });
      app.post("/token", async (request, response, next) => {
        const refuse = (description: string): void => {
          response
            .status(401)
            .set("WWW-Authenticate", 'Basic realm="larkspur"')
            .json({ error: "invalid_client", error_description: description });
        };
        const basic = /^Basic (.+)$/.exec(request.get("authorization") ?? "")?.[1];
        if (basic && Buffer.from(basic, "base64").toString().startsWith(`${staffPostClient.id}:`))
          return refuse("client authentication failed");
        if (settings.dateOffset === 0) return next();
        await new Promise<void>((resolve) =>
          express.urlencoded({ extended: false })(request, response, () => resolve()),
        );
        const { client_assertion: signed = "" } = (request.body ?? {}) as { client_assertion?: string };
        const { iat = 0 } = signed ? decodeJwt(signed) : { iat: undefined };
        if (signed && Math.abs(iat * 1_000 - Date.now() - settings.dateOffset) > 60_000)
          return refuse("client authentication failed");
        quietly(async () => next()).catch(next);
      });
      app.get("/interaction/:uid", async (request, response) => {
        const { prompt, params } = await (await provider(request)).interactionDetails(request, response);
        response
          .type("html")
          .send(
            identityPage(
              request.params.uid,
              prompt.name,
              String(params["client_id"]),
              String(params["scope"] ?? ""),
            ),
          );
      });
      app.post("/interaction/:uid", express.urlencoded({ extended: false }), async (request, response) => {
        await finish(await provider(request), request, response);
      });
      app.use(async (request, response) => {
        await (await provider(request)).callback()(request, response);
      });
    },
  };
}

/** Finishes a sign-in as the form says: as somebody who allows all that was asked for, or who does not. */
async function finish(provider: Provider, request: Request, response: Response): Promise<void> {
  const { who = "marit", answer } = (request.body ?? {}) as { who?: string; answer?: string };
  if (answer === "refuse") {
    const result = { error: "access_denied", error_description: `${who} did not allow it` };
    return provider.interactionFinished(request, response, result, { mergeWithLastSubmission: false });
  }
  const { params } = await provider.interactionDetails(request, response);
  const grant = new provider.Grant({ accountId: who, clientId: String(params["client_id"]) });
  const scope = String(params["scope"] ?? "");
  grant.addOIDCScope(scope);
  grant.addResourceScope(boardsResource, scope);
  const result = { login: { accountId: who }, consent: { grantId: await grant.save() } };
  return provider.interactionFinished(request, response, result, { mergeWithLastSubmission: false });
}

interface Settings {
  redirectUris: string[];
  tokenSeconds: number;
  ledgerJwk: JWK | null;
}

function clientsOf({ redirectUris, ledgerJwk }: Settings): AdapterPayload[] {
  const machine = { redirect_uris: [], response_types: [], grant_types: ["client_credentials"] };
  return [
    {
      ...machine,
      client_id: staffClient.id,
      client_secret: staffClient.secret,
      scope: "staff:read staff:write",
    },
    {
      ...machine,
      client_id: staffPostClient.id,
      client_secret: staffPostClient.secret,
      token_endpoint_auth_method: "client_secret_post",
      scope: "staff:read",
    },
    {
      client_id: boardsClient.id,
      client_secret: boardsClient.secret,
      redirect_uris: redirectUris,
      response_types: ["code"],
      grant_types: ["authorization_code", "refresh_token"],
      scope: "openid offline_access boards:read boards:write",
    },
    {
      ...machine,
      client_id: ledgerOffice.id,
      client_secret: ledgerOffice.secret,
      grant_types: ["password"],
      scope: "ledger:read ledger:close",
    },
    ...(ledgerJwk
      ? [
          {
            ...machine,
            client_id: ledgerMachine.id,
            token_endpoint_auth_method: "private_key_jwt",
            jwks: { keys: [ledgerJwk] },
            grant_types: ["client_credentials", jwtBearer],
            scope: "ledger:read ledger:close",
          },
        ]
      : []),
  ] as AdapterPayload[];
}

const scopesOfResource: Record<string, string> = {
  [staffResource]: "staff:read staff:write",
  [boardsResource]: "boards:read boards:write",
  [ledgerResource]: "ledger:read ledger:close",
};

async function makeProvider(
  issuer: string,
  store: IdentityStore,
  settings: Settings,
): Promise<{ provider: Provider; publicKey: JWK }> {
  const { Provider: OidcProvider, errors } = await quietly(() => import("oidc-provider"));
  const { privateKey, publicKey } = await generateKeyPair("RS256", { extractable: true });
  const info = (resource: string): ResourceServer => {
    const scope = scopesOfResource[resource];
    if (scope === undefined)
      throw new errors.InvalidTarget(`${resource} is not an API that this server knows`);
    const accessTokenTTL = resource === boardsResource ? settings.tokenSeconds : 600;
    return {
      scope,
      audience: resource,
      accessTokenFormat: "jwt",
      accessTokenTTL,
      jwt: { sign: { alg: "RS256" } },
    };
  };
  const provider = new OidcProvider(issuer, {
    adapter: (kind: string) => store.adapter(kind),
    jwks: { keys: [{ ...(await exportJWK(privateKey)), alg: "RS256", use: "sig", kid: "larkspur-1" }] },
    cookies: { keys: ["larkspur"] },
    scopes: [
      "openid",
      "offline_access",
      ...Object.values(scopesOfResource).flatMap((scope) => scope.split(" ")),
    ],
    findAccount: (_ctx, id) => ({ accountId: id, claims: () => ({ sub: id, name: id }) }),
    interactions: { url: (_ctx, interaction) => `/interaction/${interaction.uid}` },
    renderError: (ctx, { error, error_description: description }) => {
      ctx.type = "html";
      ctx.body = `<!doctype html><title>Larkspur identity</title><h1>This does not work</h1><p>${error}: ${description ?? ""}</p>`;
    },
    // A quarter of an hour, so that a clock that is off by less can be played.
    clockTolerance: 900,
    pkce: { required: () => true },
    rotateRefreshToken: true,
    issueRefreshToken: () => true,
    ttl: {
      ClientCredentials: 600,
      AccessToken: (_ctx, token) => token.resourceServer?.accessTokenTTL ?? 600,
      IdToken: 600,
      Grant: 86_400,
      Session: 86_400,
      Interaction: 900,
      RefreshToken: 86_400,
    },
    features: {
      devInteractions: { enabled: false },
      clientCredentials: { enabled: true },
      revocation: { enabled: true },
      resourceIndicators: {
        enabled: true,
        // What the API's own documentation calls `audience` is taken as well as the parameter `resource` of RFC 8707.
        defaultResource: (ctx: KoaContextWithOIDC) => {
          const audience = (ctx.oidc.body as Record<string, string> | undefined)?.["audience"];
          const client = ctx.oidc.client?.clientId;
          return audience ?? (client === boardsClient.id ? boardsResource : (undefined as unknown as string));
        },
        useGrantedResource: () => true,
        getResourceServerInfo: (_ctx, resource) => info(resource),
      },
    },
  });
  provider.proxy = false;
  const give = async (ctx: KoaContextWithOIDC, subject: string): Promise<void> => {
    const { client, params } = ctx.oidc;
    const asked = String(params?.["scope"] ?? "ledger:read");
    const token = new provider.ClientCredentials({ client: client as never, scope: asked });
    token.resourceServer = new provider.ResourceServer(ledgerResource, info(ledgerResource)) as never;
    token.extra = { user: subject };
    ctx.body = {
      access_token: await token.save(),
      token_type: "Bearer",
      expires_in: token.expiration,
      scope: asked,
    };
  };
  provider.registerGrantType(
    "password",
    async (ctx) => {
      const { username, password } = ctx.oidc.params as { username?: string; password?: string };
      if (username !== ledgerOffice.user || password !== ledgerOffice.password)
        throw new errors.InvalidGrant("the user or the password is wrong");
      await give(ctx, username);
    },
    ["username", "password", "scope", "resource"],
  );
  provider.registerGrantType(
    jwtBearer,
    async (ctx) => {
      const { assertion = "" } = ctx.oidc.params as { assertion?: string };
      const keys = createLocalJWKSet({ keys: settings.ledgerJwk ? [settings.ledgerJwk] : [] });
      const audience = [issuer, `${issuer}/token`];
      const { payload } = await jwtVerify(assertion, keys, { audience }).catch((error: Error) => {
        const fault = new errors.InvalidGrant("the assertion was not taken");
        fault.error_description = error.message;
        throw fault;
      });
      await give(ctx, payload.sub ?? "nobody");
    },
    ["assertion", "scope", "resource"],
  );
  return { provider, publicKey: { ...(await exportJWK(publicKey)), alg: "RS256", kid: "larkspur-1" } };
}

/** The library warns about this version of Node, on which it works. */
async function quietly<T>(load: () => Promise<T>): Promise<T> {
  const { warn } = console;
  console.warn = () => undefined;
  try {
    return await load();
  } finally {
    console.warn = warn;
  }
}
