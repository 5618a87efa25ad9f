import { RequestRefused, type HttpRequest, type HttpResponse } from "../http/message.js";
import { toBase64, utf8 } from "../values/encodings.js";
import { mask } from "../values/masking.js";
import { answerDigest, continueDigest, type DigestSessions } from "./digest.js";
import { attached, type AttachedToken, type LoginCredential } from "./login.js";
import type { OAuthCredential } from "./oauth.js";
import { placeAsIs, placeValue, setHeader, type KeyPlace } from "./place.js";
import { sign, type SigningScheme } from "./signed.js";

export interface KeyPart {
  place: KeyPlace;
  /** The name of the header, query parameter, cookie, path part or body field. */
  name: string;
  /** Stands before the secret and is none: `Bearer `, `Token `. */
  prefix: string;
  /** The secret itself. */
  secret: string;
}

/** A client certificate with its private key, in PEM (RFC 7468), and the authorities that must have signed the API's certificate. */
export interface TlsIdentity {
  /** The certificate, and those between it and its authority. */
  certificate: string;
  privateKey: string;
  /** Certificates of authorities that are trusted besides the usual ones; for far sides with their own. */
  authority?: string;
}

/** What one request can prove itself with. A secret that was not given yet is empty. */
export type Proof =
  | { kind: "api-key"; parts: KeyPart[] }
  /** `identity` goes along where a token is bound to a certificate (RFC 8705 section 3). */
  | { kind: "bearer"; token: string; identity?: TlsIdentity }
  | { kind: "basic"; user: string; password: string }
  /** `sessions`: what its APIs challenged with last. */
  | { kind: "digest"; user: string; password: string; sessions?: DigestSessions }
  | { kind: "signed"; secrets: Record<string, string>; scheme: SigningScheme }
  | AttachedToken
  | ({ kind: "mutual-tls" } & TlsIdentity);

/** Several proofs that one request shows together, in their order. */
export interface Several {
  kind: "several";
  proofs: Proof[];
}

/**
 * How calls prove who they are. Kinds are named as in OpenAPI security schemes and in HTTP. An `oauth2` credential or a
 * `login` proves nothing itself: a token is asked for with it, and the token is the proof. A `secret` proves nothing to
 * anybody: with it, what others deliver to us is verified.
 */
export type Credential =
  Exclude<Proof, AttachedToken> | OAuthCredential | LoginCredential | { kind: "secret"; secret: string };

/** What an authorization may use besides the request: new at each send. */
export interface Freshness {
  /** Milliseconds since 1970. */
  now: number;
  /** A new random text, of letters and digits. */
  nonce: string;
}

/** The secrets of a credential, also in the forms in which they are sent. */
export function secretsOf(credential: Credential | Proof | Several): string[] {
  switch (credential.kind) {
    case "several":
      return credential.proofs.flatMap(secretsOf);
    case "bearer":
      return [credential.token];
    case "secret":
      return [credential.secret];
    case "api-key":
      return credential.parts.map((part) => part.secret);
    case "basic":
      return [credential.password, basicToken(credential)];
    case "digest":
      return [credential.password];
    case "signed":
    case "login":
      return Object.values(credential.secrets);
    case "attached":
      return [credential.token, credential.value];
    case "mutual-tls":
      return pemLines(credential.privateKey);
    case "oauth2":
      return [
        ...[credential.clientSecret, credential.password, credential.refreshToken].filter(
          (secret) => secret !== undefined,
        ),
        ...(credential.clientId && credential.clientSecret
          ? [basicToken({ user: credential.clientId, password: credential.clientSecret })]
          : []),
        ...pemLines(credential.privateKey ?? ""),
      ];
  }
}

/** The lines of a private key: any of them gives a part of it away. */
function pemLines(pem: string): string[] {
  return pem.split(/\r?\n/).filter((line) => line.length > 16 && !line.startsWith("-----"));
}

/** The client certificate that a connection shows with a proof; undefined if it shows none. */
export function identityOf(proof: Proof | Several | undefined): TlsIdentity | undefined {
  if (proof?.kind === "several")
    return proof.proofs.map(identityOf).find((identity) => identity !== undefined);
  if (proof?.kind === "mutual-tls") return proof;
  return proof?.kind === "bearer" ? proof.identity : undefined;
}

/** What was added to a request, for people and for the journal: secrets and signatures are masked. */
export interface ShownPart {
  /** `tls`: shown by the connection, in no part of the request. */
  place: KeyPlace | "tls";
  name: string;
  value: string;
}

export interface Authorized {
  request: HttpRequest;
  shown: ShownPart[];
}

/** The `user-pass` of RFC 7617 section 2, in Base64 over UTF-8. */
function basicToken({ user, password }: { user: string; password: string }): string {
  return toBase64(utf8(`${user}:${password}`));
}

/**
 * Adds a proof to a request: `bearer` as in RFC 6750 section 2.1, `basic` as in RFC 7617. `digest` adds nothing before
 * it was challenged once, `mutual-tls` nothing at all: the connection proves it. The request given is not changed.
 * @throws RequestRefused when the request has no place for it; SchemeFault when a signing scheme cannot be computed
 */
export function authorize(request: HttpRequest, credential: Proof | Several, fresh: Freshness): Authorized {
  if (credential.kind === "several") return authorizeAll(request, credential.proofs, fresh);
  const authorized: HttpRequest = { ...request, headers: [...request.headers] };
  const header = (scheme: string, secret: string): Authorized => {
    setHeader(authorized, "Authorization", `${scheme} ${secret}`);
    return {
      request: authorized,
      shown: [{ place: "header", name: "Authorization", value: `${scheme} ${mask}` }],
    };
  };
  switch (credential.kind) {
    case "bearer":
      return header("Bearer", credential.token);
    case "basic":
      return header("Basic", basicToken(credential));
    case "digest": {
      const value = continueDigest(request, credential, fresh.nonce);
      if (value === undefined) return { request: authorized, shown: [] };
      setHeader(authorized, "Authorization", value);
      return { request: authorized, shown: describeCredential(credential) };
    }
    case "mutual-tls":
      return { request: authorized, shown: describeCredential(credential) };
    case "attached": {
      const { place, name, value, shown } = credential;
      placeAsIs(authorized, place, name, value);
      return { request: authorized, shown: [{ place, name, value: shown }] };
    }
    case "signed":
      return sign(authorized, credential.scheme, credential.secrets, fresh);
    case "api-key":
      for (const { place, name, prefix, secret } of credential.parts)
        placeValue(authorized, place, name, `${prefix}${secret}`);
      return { request: authorized, shown: describeCredential(credential) };
  }
}

/** @throws RequestRefused when two of them set the same place */
function authorizeAll(request: HttpRequest, proofs: readonly Proof[], fresh: Freshness): Authorized {
  const whole: Authorized = { request, shown: [] };
  for (const proof of proofs) {
    const { request: next, shown } = authorize(whole.request, proof, fresh);
    const twice = shown.find(({ place, name }) =>
      whole.shown.some((one) => one.place === place && one.name.toLowerCase() === name.toLowerCase()),
    );
    if (twice)
      throw new RequestRefused(
        "bad-request",
        `Two credentials of this call set the same ${twice.place === "tls" ? "" : `${twice.place} `}${twice.name}.`,
      );
    whole.request = next;
    whole.shown.push(...shown);
  }
  return whole;
}

/**
 * The request to send instead after a response that challenges it (RFC 9110 section 11.3); undefined if the
 * challenge is not one that this credential answers. `request` is the one without authorization.
 */
export function answerChallenge(
  request: HttpRequest,
  credential: Proof | Several,
  response: HttpResponse,
  fresh: Freshness,
): Authorized | undefined {
  if (credential.kind === "several") {
    const others = credential.proofs.filter(({ kind }) => kind !== "digest");
    const digest = credential.proofs.find(({ kind }) => kind === "digest");
    if (!digest) return undefined;
    const base = authorizeAll(request, others, fresh);
    const answered = answerChallenge(base.request, digest, response, fresh);
    return answered && { ...answered, shown: [...base.shown, ...answered.shown] };
  }
  if (credential.kind !== "digest" || response.status !== 401) return undefined;
  const value = answerDigest(request, credential, response.headers["www-authenticate"], fresh.nonce);
  if (value === undefined) return undefined;
  const answered: HttpRequest = { ...request, headers: [...request.headers] };
  setHeader(answered, "Authorization", value);
  return { request: answered, shown: describeCredential(credential) };
}

/** What a credential will send, masked, before there is a request. */
export function describeCredential(credential: Credential): ShownPart[] {
  const authorization = (value: string): ShownPart[] => [{ place: "header", name: "Authorization", value }];
  switch (credential.kind) {
    case "bearer":
    case "oauth2":
      return authorization(`Bearer ${mask}`);
    case "secret":
      return []; // it is sent nowhere
    case "login": {
      const { place, name, shown } = attached(credential, mask);
      return [{ place, name, value: shown }];
    }
    case "mutual-tls":
      return [{ place: "tls", name: "client certificate", value: mask }];
    case "basic":
      return authorization(`Basic ${mask}`);
    case "digest":
      return authorization(`Digest username="${credential.user}", response="${mask}"`);
    case "api-key":
      return credential.parts.map(({ place, name, prefix }) => ({ place, name, value: `${prefix}${mask}` }));
    case "signed":
      return [
        ...Object.entries(credential.scheme.headers ?? {}).map(([name, value]) => ({
          place: "header" as const,
          name,
          value,
        })),
        ...Object.entries(credential.scheme.query ?? {}).map(([name, value]) => ({
          place: "query" as const,
          name,
          value,
        })),
      ];
  }
}
