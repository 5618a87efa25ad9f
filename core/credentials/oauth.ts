import type { Credential } from "./credential.js";
import { wantsOtherLogin, type LoginCredential } from "./login.js";

/** How a token is come by: the grants of RFC 6749 sections 4 and 6, and RFC 7523 section 2.1. */
export const oauthGrants = [
  "client-credentials",
  "authorization-code",
  "refresh-token",
  "password",
  "jwt-bearer",
] as const;
export type OAuthGrant = (typeof oauthGrants)[number];

/** How the client proves itself at the token endpoint, by the names of the OAuth registry (RFC 8414 section 2). */
export const clientAuthMethods = [
  "client_secret_basic",
  "client_secret_post",
  "private_key_jwt",
  "tls_client_auth",
  "none",
] as const;
export type ClientAuthMethod = (typeof clientAuthMethods)[number];

/** What a token is asked for with. What was not given is missing; a secret that was not given yet, too. */
export interface OAuthCredential {
  kind: "oauth2";
  grant: OAuthGrant;
  /** The issuer, whose metadata names the endpoints (RFC 8414; OpenID Connect Discovery 1.0 section 4). */
  issuer?: string;
  /** The endpoints, if there is no issuer or its metadata is not to be used. */
  tokenUrl?: string;
  authorizationUrl?: string;
  clientId?: string;
  clientAuth: ClientAuthMethod;
  clientSecret?: string;
  /** In PEM: signs assertions (RFC 7523), or proves the certificate. */
  privateKey?: string;
  /** In PEM: its thumbprint stands in assertions (`x5t`, RFC 7515 section 4.1.7); shown by the connection in mutual TLS. */
  certificate?: string;
  /** Certificates of authorities that may have signed the token endpoint's certificate, besides the usual ones, in PEM. */
  authority?: string;
  /** The `kid` of assertions (RFC 7515 section 4.1.4). */
  keyId?: string;
  /** What is asked for (RFC 6749 section 3.3). */
  scopes: string[];
  /** The parameter `audience`, which several authorization servers want. */
  audience?: string;
  /** Where the token is to be used (RFC 8707). */
  resource?: string[];
  /** Any further parameters of the token request. */
  parameters?: Record<string, string>;
  /** Any further parameters of the authorization request. */
  authorizationParameters?: Record<string, string>;
  /** Of the grant `password`. */
  user?: string;
  password?: string;
  /** Of the grant `refresh-token`: the first one, got elsewhere. */
  refreshToken?: string;
  /** Claims of assertions that are not the usual ones (RFC 7523 section 3). */
  assertion?: { issuer?: string; subject?: string; audience?: string };
}

/** A token as it is stored. Times are milliseconds since 1970, by our clock. */
export interface Token {
  accessToken: string;
  refreshToken?: string;
  /** The scopes that the response, or the token itself, says it has; undefined if neither says. */
  scopes?: string[];
  obtainedAt: number;
  /** Undefined if nothing says: it is used until it is refused. */
  expiresAt?: number;
  /** When it is replaced ahead of its end; spread, so that many do not come at once. */
  refreshAt?: number;
  /** Who signed in, or for whom it is. */
  subject?: string;
  /** The claims of a token that is a JWT, as anybody can read them; they prove nothing. */
  claims?: Record<string, unknown>;
}

/** A credential whose token is asked for. */
export type TokenCredential = OAuthCredential | LoginCredential;

export function wantsToken(credential: Credential): credential is TokenCredential {
  return credential.kind === "oauth2" || credential.kind === "login";
}

/** What a token is stored under besides the name of its credential: another audience or other scopes want another token. */
export function tokenKey(credential: TokenCredential): string {
  if (credential.kind === "login") return "";
  const { audience, resource, scopes } = credential;
  return JSON.stringify([audience ?? "", [...(resource ?? [])].sort(), [...scopes].sort()]);
}

/** Whether tokens got with one credential are of no use with the other. */
export function wantsOtherTokens(before: TokenCredential, after: Credential): boolean {
  if (before.kind === "login") return after.kind !== "login" || wantsOtherLogin(before, after);
  if (after.kind !== "oauth2") return true;
  const identity = ({ grant, issuer, tokenUrl, clientId, user, refreshToken, assertion }: OAuthCredential) =>
    JSON.stringify([grant, issuer, tokenUrl, clientId, user, refreshToken, assertion]);
  return identity(before) !== identity(after);
}

/** Whether a person has to sign in before there is a token. */
export function wantsSignIn(credential: TokenCredential): boolean {
  return credential.kind === "oauth2" && credential.grant === "authorization-code";
}

/** The longest time that a token is replaced ahead of its end, in milliseconds. */
const mostAhead = 300_000;

/**
 * When to replace a token ahead of its end: a fifth of its life before, at most five minutes, a quarter more or less.
 * @param fraction a number from 0 up to 1 that stands for chance
 */
export function refreshTime(obtainedAt: number, expiresAt: number, fraction: number): number {
  const ahead = Math.min((expiresAt - obtainedAt) / 5, mostAhead);
  return Math.round(expiresAt - ahead * (0.75 + fraction / 2));
}
