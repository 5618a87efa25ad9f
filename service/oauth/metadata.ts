import { TransportFailure, type OAuthCredential } from "@copper-kettle/core";
import * as oauth from "oauth4webapi";
import { noToken, type EndpointFetch } from "./fetch.js";

const metadataMillis = 600_000;

/** The metadata of authorization servers, looked up once in a while. */
export class ServerMetadata {
  readonly #metadata = new Map<string, { at: number; server: oauth.AuthorizationServer }>();

  constructor(
    readonly fetch: EndpointFetch,
    readonly now: () => number,
  ) {}

  /** The authorization server of a credential: its metadata, with the endpoints that the credential names over it. */
  async server(credential: OAuthCredential): Promise<oauth.AuthorizationServer> {
    const found = credential.issuer ? await this.#discover(credential.issuer) : undefined;
    const { tokenUrl, authorizationUrl } = credential;
    return {
      issuer: found?.issuer ?? new URL(tokenUrl ?? authorizationUrl ?? "http://nowhere.invalid").origin,
      ...found,
      ...(tokenUrl ? { token_endpoint: tokenUrl } : {}),
      ...(authorizationUrl ? { authorization_endpoint: authorizationUrl } : {}),
    };
  }

  /** The metadata of an issuer: OpenID Connect Discovery 1.0 first, then RFC 8414. */
  async #discover(issuer: string): Promise<oauth.AuthorizationServer> {
    const known = this.#metadata.get(issuer);
    if (known && known.at > this.now() - metadataMillis) return known.server;
    requireSafe(issuer);
    let last: unknown;
    for (const algorithm of ["oidc", "oauth2"] as const) {
      try {
        const url = new URL(issuer);
        const response = await oauth.discoveryRequest(url, {
          algorithm,
          [oauth.customFetch]: this.fetch.metadata as never,
          [oauth.allowInsecureRequests]: url.protocol === "http:",
        });
        if (response.status !== 200)
          throw noToken(`${issuer} has no metadata document (${response.status}).`);
        const server = await oauth.processDiscoveryResponse(url, response);
        this.#metadata.set(issuer, { at: this.now(), server });
        return server;
      } catch (error) {
        last ??= error;
      }
    }
    if (last instanceof TransportFailure) throw last;
    throw noToken(
      `the metadata of ${issuer} cannot be used: ${(last as Error).message}. Give the addresses of its endpoints instead.`,
    );
  }
}

/** Tokens and secrets go over TLS only; on this machine itself plain HTTP will do. */
export function requireSafe(address: string): void {
  if (!isSafeOrigin(new URL(address)))
    throw noToken(`${address} is not https, and a secret would be sent there unencrypted.`);
}

/** Whether what is sent there is encrypted, or stays on this machine. */
export function isSafeOrigin({ protocol, hostname }: URL): boolean {
  const loopback = /^(localhost|127\.\d+\.\d+\.\d+|\[::1\])$/.test(hostname);
  return protocol === "https:" || (protocol === "http:" && loopback);
}
