import type { CredentialDetail, CredentialInfo } from "@copper-kettle/contract";
import {
  describeCredential,
  endWarning,
  missingInWords,
  missingParts,
  openParts,
  tokenKey,
  wantsToken,
  wantsSignIn,
  type Credential,
  type JsonObject,
  type Token,
} from "@copper-kettle/core";
import { certificateEnd, certificatesOf, subjectOf } from "../oauth/certificates.js";
import type { OpenCredential } from "../store/credentials.js";
import type { TokenStore } from "../store/tokens.js";
import { iso, isoOrNull } from "../times.js";

const signInCodes = new Set(["sign-in", "sign-in-again", "consent-missing"]);

/** A credential's certificate, in PEM. */
function certificateOf(credential: Credential): string | undefined {
  return "certificate" in credential ? credential.certificate : undefined;
}

function storedToken({ name, credential }: OpenCredential, tokens: TokenStore): Token | undefined {
  return wantsToken(credential) ? tokens.get(name, tokenKey(credential)) : undefined;
}

/** The state of a credential, and what to do about it. */
export function stateOf(
  open: OpenCredential,
  tokens: TokenStore,
): { state: CredentialInfo["state"]; sentence: string | null } {
  const { credential, fault } = open;
  const missing = missingInWords(credential);
  if (missing.length > 0) return { state: "incomplete", sentence: `Missing: ${missing.join(", ")}.` };
  if (fault && signInCodes.has(fault.code)) return { state: "sign-in-again", sentence: fault.sentence };
  if (credential.kind === "oauth2" && wantsSignIn(credential) && !storedToken(open, tokens))
    return { state: "sign-in", sentence: "Nobody has signed in yet." };
  if (fault) return { state: "failing", sentence: fault.sentence };
  // A secret is not checked by calling anybody: it is there, or it is not.
  const worked =
    credential.kind === "secret" || open.lastWorkedAt !== null || storedToken(open, tokens) !== undefined;
  return { state: worked ? "ready" : "unchecked", sentence: null };
}

/** When its secret or certificate ends, and what to say about that. */
export function endOf(
  { credential, endsAt }: OpenCredential,
  now: number,
): { endsAt: number | null; warning: CredentialInfo["warning"] } {
  const ends: [number, string][] = [];
  const certificate = certificateEnd(certificateOf(credential));
  if (certificate !== undefined) ends.push([certificate, "certificate"]);
  if (endsAt !== null) ends.push([endsAt, "secret"]);
  const [first] = ends.sort(([a], [b]) => a - b);
  if (!first) return { endsAt: null, warning: null };
  const [at, what] = first;
  return { endsAt: at, warning: endWarning(at, now, what) ?? null };
}

/** A credential as the API lists it. */
export function credentialView(
  open: OpenCredential,
  tokens: TokenStore,
  usedBy: string[],
  now: number,
): CredentialInfo {
  const end = endOf(open, now);
  return {
    name: open.name,
    kind: open.credential.kind,
    ...stateOf(open, tokens),
    hosts: open.hosts,
    shown: describeCredential(open.credential),
    usedBy,
    endsAt: isoOrNull(end.endsAt),
    warning: end.warning,
    lastUsedAt: isoOrNull(open.lastUsedAt),
    lastWorkedAt: isoOrNull(open.lastWorkedAt),
    changedAt: iso(open.changedAt),
  };
}

/** A credential with all that is to be known of it but its secrets. */
export function credentialDetailView(
  open: OpenCredential,
  tokens: TokenStore,
  more: { usedBy: string[]; sources: CredentialDetail["sources"]; redirectUri: string; now: number },
): CredentialDetail {
  const { credential, replaced } = open;
  const token = storedToken(open, tokens);
  const signsIn = credential.kind === "oauth2" && wantsSignIn(credential);
  return {
    ...credentialView(open, tokens, more.usedBy, more.now),
    missing: missingParts(credential),
    sources: more.sources,
    settings: {
      ...openParts(credential),
      hosts: open.hosts,
      endsOn: isoOrNull(open.endsAt),
      mayUse: open.mayUse,
      mayChange: open.mayChange,
    } as JsonObject,
    mayUse: open.mayUse,
    mayChange: open.mayChange,
    replacedUntil: replaced && replaced.until > more.now ? iso(replaced.until) : null,
    token: token
      ? {
          obtainedAt: iso(token.obtainedAt),
          expiresAt: isoOrNull(token.expiresAt),
          scopes: token.scopes ?? null,
          subject: token.subject ?? null,
          claims: (token.claims as JsonObject | undefined) ?? null,
          refreshable:
            credential.kind === "login"
              ? credential.scheme.renew !== undefined
              : token.refreshToken !== undefined,
        }
      : null,
    login: loginView(open),
    scopes: credential.kind === "oauth2" ? scopesOf(credential.scopes, token) : [],
    redirectUri: signsIn ? more.redirectUri : null,
    certificates: certificatesOf(certificateOf(credential) ?? "").map((certificate) => ({
      subject: subjectOf(certificate),
      endsAt: iso(Date.parse(certificate.validTo)),
    })),
  };
}

/** The last login of a credential, and how long none is tried. */
function loginView({ credential, login: { exchange, until } }: OpenCredential): CredentialDetail["login"] {
  if (credential.kind !== "login") return null;
  return {
    pausedUntil: isoOrNull(until === 0 ? null : until),
    last: exchange && {
      at: iso(exchange.at),
      took: exchange.took ?? null,
      request: { ...exchange.request, headers: Object.fromEntries(exchange.request.headers) },
      response: exchange.response && {
        ...exchange.response,
        headers: Object.fromEntries(exchange.response.headers),
      },
      failure: exchange.failure,
    },
  };
}

/** The scopes that were asked for beside those that the token has. */
function scopesOf(asked: string[], token: Token | undefined): CredentialDetail["scopes"] {
  const granted = token?.scopes;
  return [...new Set([...asked, ...(granted ?? [])])].map((scope) => ({
    scope,
    asked: asked.includes(scope),
    granted: granted ? granted.includes(scope) : null,
  }));
}
