import {
  explainTokenRefusal,
  leastLength,
  mask,
  MaskSet,
  refreshTime,
  TransportFailure,
  type OAuthCredential,
  type Token,
  type TokenExplanation,
} from "@copper-kettle/core";
import { decodeJwt } from "jose";
import * as oauth from "oauth4webapi";
import { EndpointRefusal } from "./fetch.js";

/** No token was given, and a person should know why. */
export class TokenRefused extends Error {
  override name = "TokenRefused";
  constructor(readonly explanation: TokenExplanation) {
    super(explanation.sentence);
  }
}

/**
 * The token of a response.
 * @param how.ahead how far our clock is ahead of the authorization server's, in milliseconds
 * @param how.before the token that it replaces: what the response leaves out is as it was (RFC 6749 section 6)
 */
export function tokenOf(
  credential: OAuthCredential,
  answer: oauth.TokenEndpointResponse,
  how: { now: number; ahead: number; before: Token | undefined },
): Token {
  const { now: obtainedAt, ahead, before } = how;
  const claims = claimsOf(answer.access_token);
  const identity = claimsOf(answer.id_token ?? (answer["unchecked_id_token"] as string | undefined));
  const life = answer.expires_in;
  const expiresAt =
    life !== undefined
      ? obtainedAt + life * 1_000
      : typeof claims?.["exp"] === "number"
        ? claims["exp"] * 1_000 + ahead
        : undefined;
  const subject = [
    ...["name", "preferred_username", "email", "sub"].map((name) => identity?.[name]),
    before?.subject,
    claims?.["sub"],
  ].find((value) => typeof value === "string");
  const refreshToken = answer.refresh_token ?? before?.refreshToken;
  return {
    accessToken: answer.access_token,
    scopes: grantedScopes(credential, answer, claims) ?? before?.scopes ?? credential.scopes,
    obtainedAt,
    ...(refreshToken === undefined ? {} : { refreshToken }),
    ...(expiresAt === undefined
      ? {}
      : { expiresAt, refreshAt: refreshTime(obtainedAt, expiresAt, Math.random()) }),
    ...(subject === undefined ? {} : { subject: subject as string }),
    ...(claims === undefined ? {} : { claims }),
  };
}

/** The scopes that a token has. Those that ask for an ID token or a refresh token show in having got one. */
function grantedScopes(
  { scopes }: OAuthCredential,
  answer: oauth.TokenEndpointResponse,
  claims: Record<string, unknown> | undefined,
): string[] | undefined {
  const named = scopesOf(answer.scope ?? claims?.["scope"] ?? claims?.["scp"]);
  if (!named) return undefined;
  const shown: Record<string, boolean> = {
    openid: answer.id_token !== undefined || answer["unchecked_id_token"] !== undefined,
    offline_access: answer.refresh_token !== undefined,
  };
  return [...new Set([...scopes.filter((scope) => shown[scope]), ...named])];
}

function claimsOf(token: string | undefined): Record<string, unknown> | undefined {
  if (token === undefined || token.split(".").length !== 3) return undefined;
  try {
    return decodeJwt(token);
  } catch {
    return undefined;
  }
}

function scopesOf(value: unknown): string[] | undefined {
  if (typeof value === "string") return value.split(/[\s,]+/).filter(Boolean);
  return Array.isArray(value) ? value.map(String) : undefined;
}

/** Shorter secrets than this many characters stand in any text by chance. */
const leastHidden = 4;

function withoutSecrets(text: string, secrets: string[]): string {
  const masks = new MaskSet();
  masks.add(secrets);
  return secrets
    .filter(({ length }) => length >= leastHidden && length < leastLength)
    .reduce((shown, secret) => shown.replaceAll(secret, mask), masks.text(text));
}

/**
 * What a failed token request means. What the endpoint says may hold what it was sent: the secrets are taken out before
 * anybody sees it.
 */
export function explained(
  credential: OAuthCredential,
  error: unknown,
  { clockAhead, secrets }: { clockAhead: number; secrets: string[] },
): unknown {
  const hidden = (text: string): string => withoutSecrets(text, secrets);
  if (error instanceof EndpointRefusal) {
    const { refusal } = error;
    const { description } = refusal;
    return new TokenRefused(
      explainTokenRefusal(credential, {
        ...refusal,
        error: hidden(refusal.error),
        ...(description === undefined ? {} : { description: hidden(description) }),
      }),
    );
  }
  if (error instanceof TransportFailure)
    return new TransportFailure(
      error.kind,
      hidden(error.message),
      error.sent,
      error.aborted,
      error.certificate,
    );
  if (error instanceof oauth.AuthorizationResponseError) {
    const { error: code, error_description: description } = error;
    return new TokenRefused(
      explainTokenRefusal(credential, {
        status: 0,
        error: hidden(code),
        clockAhead,
        ...(description === undefined ? {} : { description: hidden(description) }),
      }),
    );
  }
  if (error instanceof oauth.OperationProcessingError || error instanceof oauth.UnsupportedOperationError) {
    const sentence =
      error instanceof oauth.UnsupportedOperationError
        ? "The token endpoint gave a token that is not a bearer token, and only bearer tokens can be sent."
        : `The token endpoint's response cannot be used: ${hidden(error.message)}.`;
    return new TokenRefused({ code: "other", sentence, signIn: false, passing: false });
  }
  return error;
}
