import { secretsOf, type OAuthCredential, type TlsIdentity, type Token } from "@copper-kettle/core";
import * as oauth from "oauth4webapi";
import { explained, tokenOf } from "./responses.js";
import { bearerAssertion, clientAuth } from "./client-auth.js";
import type { EndpointFetch } from "./fetch.js";
import { EndpointRefusal, noToken } from "./fetch.js";
import { requireSafe, ServerMetadata } from "./metadata.js";

/** What a sign-in under way is finished with. */
export interface PendingCode {
  state: string;
  verifier: string;
  redirectUri: string;
}

const jwtBearer = "urn:ietf:params:oauth:grant-type:jwt-bearer";
/** A clock that is further off than this many milliseconds is worth a second try with the authorization server's time. */
const skewWorthRetry = 5_000;

/** Asks authorization servers for tokens: the protocol is the library's, what is put in and read out is ours. */
export class TokenRequests {
  readonly #metadata: ServerMetadata;

  constructor(
    readonly fetch: EndpointFetch,
    readonly now: () => number,
  ) {
    this.#metadata = new ServerMetadata(fetch, now);
  }

  /** The authorization server of a credential, and its endpoints. */
  server(credential: OAuthCredential): Promise<oauth.AuthorizationServer> {
    return this.#metadata.server(credential);
  }

  /** A new token by the credential's grant; of a sign-in, see {@link exchangeCode}. */
  ask(credential: OAuthCredential): Promise<Token> {
    return this.#twice(credential, async (call) => {
      const { grant } = credential;
      const parameters = tokenParameters(credential);
      if (grant === "refresh-token") return this.#refresh(credential, credential.refreshToken ?? "", call);
      if (grant === "client-credentials") {
        return oauth.processClientCredentialsResponse(
          call.server,
          call.client,
          await oauth.clientCredentialsGrantRequest(
            call.server,
            call.client,
            call.auth,
            parameters,
            call.options,
          ),
        );
      }
      const type = grant === "jwt-bearer" ? jwtBearer : "password";
      if (grant === "jwt-bearer")
        parameters.set("assertion", await bearerAssertion(credential, call.server, this.now() - call.ahead));
      else {
        parameters.set("username", credential.user ?? "");
        parameters.set("password", credential.password ?? "");
      }
      return oauth.processGenericTokenEndpointResponse(
        call.server,
        call.client,
        await oauth.genericTokenEndpointRequest(
          call.server,
          call.client,
          call.auth,
          type,
          parameters,
          call.options,
        ),
      );
    });
  }

  /** A new token for the refresh token of an old one (RFC 6749 section 6). */
  refresh(credential: OAuthCredential, token: Token): Promise<Token> {
    return this.#twice(
      credential,
      (call) => this.#refresh(credential, token.refreshToken ?? "", call),
      token,
    );
  }

  async #refresh(
    credential: OAuthCredential,
    refreshToken: string,
    call: Call,
  ): Promise<oauth.TokenEndpointResponse> {
    const additionalParameters = tokenParameters(credential, { scope: false });
    return oauth.processRefreshTokenResponse(
      call.server,
      call.client,
      await oauth.refreshTokenGrantRequest(call.server, call.client, call.auth, refreshToken, {
        ...call.options,
        additionalParameters,
      }),
    );
  }

  /** Where a person signs in (RFC 6749 section 4.1.1, with PKCE of RFC 7636). */
  async authorizationUrl(credential: OAuthCredential, pending: PendingCode): Promise<string> {
    const { authorization_endpoint: endpoint } = await this.server(credential);
    if (!endpoint) throw noToken("the authorization endpoint is unknown; give the credential its address.");
    const url = new URL(endpoint);
    const parameters: Record<string, string | undefined> = {
      response_type: "code",
      client_id: credential.clientId ?? "",
      redirect_uri: pending.redirectUri,
      scope: credential.scopes.join(" ") || undefined,
      state: pending.state,
      code_challenge: await oauth.calculatePKCECodeChallenge(pending.verifier),
      code_challenge_method: "S256",
      audience: credential.audience,
      ...credential.authorizationParameters,
    };
    for (const [name, value] of Object.entries(parameters)) if (value) url.searchParams.set(name, value);
    for (const resource of credential.resource ?? []) url.searchParams.append("resource", resource);
    return url.href;
  }

  /** Finishes a sign-in with what the browser brought back. */
  exchangeCode(credential: OAuthCredential, brought: URLSearchParams, pending: PendingCode): Promise<Token> {
    return this.#twice(credential, async (call) => {
      const checked = oauth.validateAuthResponse(call.server, call.client, brought, pending.state);
      const { redirectUri, verifier } = pending;
      return oauth.processAuthorizationCodeResponse(
        call.server,
        call.client,
        await oauth.authorizationCodeGrantRequest(
          call.server,
          call.client,
          call.auth,
          checked,
          redirectUri,
          verifier,
          { ...call.options, additionalParameters: tokenParameters(credential, { scope: false }) },
        ),
      );
    });
  }

  /** Makes a token request; a second time with the authorization server's clock where that turns out to be another one. */
  async #twice(
    credential: OAuthCredential,
    request: (call: Call) => Promise<oauth.TokenEndpointResponse>,
    before?: Token,
  ): Promise<Token> {
    const server = await this.server(credential);
    const endpoint = server.token_endpoint;
    if (!endpoint) throw noToken("the token endpoint is unknown; give the credential its address.");
    requireSafe(endpoint);
    const used = this.fetch.clockAhead(endpoint);
    try {
      try {
        return this.#token(credential, await request(await this.#call(credential, server, used)), before);
      } catch (error) {
        const measured = this.fetch.clockAhead(endpoint);
        const signs = credential.clientAuth === "private_key_jwt" || credential.grant === "jwt-bearer";
        if (!(error instanceof EndpointRefusal) || !signs || Math.abs(measured - used) < skewWorthRetry)
          throw error;
        return this.#token(credential, await request(await this.#call(credential, server, measured)), before);
      }
    } catch (error) {
      const secrets = [
        ...secretsOf(credential),
        ...[before?.refreshToken, before?.accessToken].filter((token) => token !== undefined),
      ];
      throw explained(credential, error, { clockAhead: this.fetch.clockAhead(endpoint), secrets });
    }
  }

  async #call(credential: OAuthCredential, server: oauth.AuthorizationServer, ahead: number): Promise<Call> {
    const { certificate, privateKey, authority } = credential;
    const identity: TlsIdentity | undefined =
      credential.clientAuth === "tls_client_auth" && certificate && privateKey
        ? { certificate, privateKey, ...(authority ? { authority } : {}) }
        : undefined;
    return {
      server,
      client: { client_id: credential.clientId ?? "", [oauth.clockSkew]: -Math.round(ahead / 1_000) },
      auth: await clientAuth(credential, server),
      options: {
        [oauth.customFetch]: this.fetch.token(identity, credential.issuer !== undefined) as never,
        [oauth.allowInsecureRequests]: new URL(server.token_endpoint as string).protocol === "http:",
      },
      ahead,
    };
  }

  #token(credential: OAuthCredential, answer: oauth.TokenEndpointResponse, before: Token | undefined): Token {
    const ahead = this.fetch.clockAhead(credential.tokenUrl ?? credential.issuer ?? "http://nowhere.invalid");
    return tokenOf(credential, answer, { now: this.now(), ahead, before });
  }
}

interface Call {
  server: oauth.AuthorizationServer;
  client: oauth.Client;
  auth: oauth.ClientAuth;
  options: oauth.TokenEndpointRequestOptions;
  /** How far our clock is ahead of the authorization server's, in milliseconds. */
  ahead: number;
}

function tokenParameters(credential: OAuthCredential, { scope = true } = {}): URLSearchParams {
  const { scopes, audience, resource = [], parameters = {} } = credential;
  const result = new URLSearchParams();
  if (scope && scopes.length > 0) result.set("scope", scopes.join(" "));
  if (audience) result.set("audience", audience);
  for (const one of resource) result.append("resource", one);
  for (const [name, value] of Object.entries(parameters)) result.set(name, value);
  return result;
}
