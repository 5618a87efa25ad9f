import type { OAuthCredential, Verdict, Verify } from "@copper-kettle/core";
import * as jose from "jose";
import type { EndpointFetch } from "../oauth/fetch.js";
import { requireSafe, type ServerMetadata } from "../oauth/metadata.js";

type JwtRule = Extract<Verify, { by: "jwt" }>;

/** Keys of an issuer hold for so long; one that is unknown makes them be asked for again, but not more often than this. */
const keysMillis = 600_000;
const againMillis = 30_000;

/** Verifies JSON Web Tokens that senders show, by the keys that their issuer publishes. */
export class TokenVerifier {
  readonly #keys = new Map<string, { at: number; set: ReturnType<typeof jose.createLocalJWKSet> }>();

  constructor(
    readonly metadata: ServerMetadata,
    readonly fetch: EndpointFetch,
    readonly now: () => number,
  ) {}

  /**
   * Whether a delivery shows a token of the issuer, for us, that holds now (RFC 7519; RFC 8725): only the listed algorithms count,
   * `exp` must be there, issuer and audience must be the same. It proves the sender, not the body.
   */
  async verify(rule: JwtRule, authorization: string | undefined): Promise<Verdict> {
    const token = /^bearer (.+)$/i.exec(authorization ?? "")?.[1];
    if (token === undefined) return { ok: false, reason: "It shows no token (Authorization: Bearer …)." };
    const { issuer, audience } = rule;
    const options: jose.JWTVerifyOptions = {
      issuer,
      audience,
      algorithms: [...rule.algorithms],
      requiredClaims: ["exp"],
      clockTolerance: 60,
      currentDate: new Date(this.now()),
    };
    try {
      for (const again of [false, true])
        try {
          await jose.jwtVerify(token, await this.#keysOf(issuer, again), options);
          return { ok: true };
        } catch (error) {
          if (again || !(error instanceof jose.errors.JWKSNoMatchingKey)) throw error;
        }
    } catch (error) {
      return { ok: false, reason: reasonOf(error as Error, rule) };
    }
    return { ok: false, reason: "No key of its issuer fits." };
  }

  async #keysOf(issuer: string, again: boolean): Promise<ReturnType<typeof jose.createLocalJWKSet>> {
    const known = this.#keys.get(issuer);
    if (known && known.at > this.now() - (again ? againMillis : keysMillis)) return known.set;
    const { jwks_uri: url } = await this.metadata.server({ issuer } as OAuthCredential);
    if (url === undefined) throw new Error(`${issuer} says nowhere where its keys are (jwks_uri).`);
    requireSafe(url);
    const response = await this.fetch.metadata(url, { method: "GET", headers: {}, body: undefined } as never);
    if (response.status !== 200) throw new Error(`The keys of ${issuer} cannot be had (${response.status}).`);
    const set = jose.createLocalJWKSet((await response.json()) as jose.JSONWebKeySet);
    if (this.#keys.size >= 1_000) this.#keys.clear();
    this.#keys.set(issuer, { at: this.now(), set });
    return set;
  }
}

/** What is wrong with a token, by the library's codes. */
function reasonOf(error: Error, { issuer, audience, algorithms }: JwtRule): string {
  if (error instanceof jose.errors.JWTExpired) return "Its token has expired.";
  if (error instanceof jose.errors.JWTClaimValidationFailed) {
    const { claim } = error;
    if (claim === "iss") return `Its token is not of the issuer ${issuer}.`;
    if (claim === "aud") return `Its token is not for ${audience}.`;
    return `Its token has no ${claim} that fits.`;
  }
  if (error instanceof jose.errors.JOSEAlgNotAllowed)
    return `Its token is signed by another algorithm than ${algorithms.join(", ")}.`;
  if (error instanceof jose.errors.JWSSignatureVerificationFailed)
    return "The signature of its token does not fit.";
  if (error instanceof jose.errors.JWKSNoMatchingKey) return `No key of ${issuer} fits its token.`;
  return `Its token cannot be verified: ${error.message}`;
}
