import type { OAuthCredential } from "@copper-kettle/core";
import { importPKCS8, SignJWT } from "jose";
import { createPrivateKey } from "node:crypto";
import * as oauth from "oauth4webapi";
import { thumbprints } from "./certificates.js";

const assertionSeconds = 120;

/** How a client proves itself at the token endpoint. */
export async function clientAuth(
  credential: OAuthCredential,
  server: oauth.AuthorizationServer,
): Promise<oauth.ClientAuth> {
  const { clientAuth, clientSecret = "", keyId, certificate, assertion } = credential;
  switch (clientAuth) {
    case "client_secret_basic":
      return (_server, client, _body, headers) =>
        headers.set("authorization", `Basic ${basicToken(client.client_id, clientSecret)}`);
    case "client_secret_post":
      return oauth.ClientSecretPost(clientSecret);
    case "tls_client_auth":
      return oauth.TlsClientAuth();
    case "none":
      return credential.clientId ? oauth.None() : () => undefined;
    case "private_key_jwt": {
      const { key } = await signingKey(credential);
      return oauth.PrivateKeyJwt(keyId ? { key, kid: keyId } : key, {
        [oauth.modifyAssertion]: (header, payload) => {
          Object.assign(header, certificate ? thumbprints(certificate) : {});
          // With a JWT bearer grant the audience that was given is the grant's.
          payload["aud"] =
            (credential.grant === "jwt-bearer" ? undefined : assertion?.audience) ??
            (credential.issuer ? server.issuer : (server.token_endpoint as string));
        },
      });
    }
  }
}

/**
 * The assertion of a JWT bearer grant (RFC 7523 section 3).
 * @param now milliseconds since 1970, by the authorization server's clock
 */
export async function bearerAssertion(
  credential: OAuthCredential,
  server: oauth.AuthorizationServer,
  now: number,
): Promise<string> {
  const { key, alg } = await signingKey(credential);
  const { keyId, certificate, assertion = {}, clientId = "" } = credential;
  const seconds = Math.floor(now / 1_000);
  return new SignJWT({})
    .setProtectedHeader({
      alg,
      typ: "JWT",
      ...(keyId ? { kid: keyId } : {}),
      ...(certificate ? thumbprints(certificate) : {}),
    })
    .setIssuer(assertion.issuer ?? clientId)
    .setSubject(assertion.subject ?? clientId)
    .setAudience(assertion.audience ?? (server.token_endpoint as string))
    .setIssuedAt(seconds)
    .setExpirationTime(seconds + assertionSeconds)
    .setJti(crypto.randomUUID())
    .sign(key);
}

/**
 * The client's Basic token (RFC 6749 section 2.3.1 and appendix B). Characters that need no encoding are left as they
 * are, since many servers do not decode: the library would encode dashes and dots too.
 */
function basicToken(id: string, secret: string): string {
  const encode = (text: string) => new URLSearchParams([["", text]]).toString().slice(1);
  return Buffer.from(`${encode(id)}:${encode(secret)}`).toString("base64");
}

const algorithms: Record<string, string> = {
  ed25519: "EdDSA",
  prime256v1: "ES256",
  secp384r1: "ES384",
  secp521r1: "ES512",
};

async function signingKey({
  privateKey = "",
}: OAuthCredential): Promise<{ key: Awaited<ReturnType<typeof importPKCS8>>; alg: string }> {
  const { asymmetricKeyType: type = "", asymmetricKeyDetails } = createPrivateKey(privateKey);
  const alg = algorithms[asymmetricKeyDetails?.namedCurve ?? type] ?? "RS256";
  return { key: await importPKCS8(privateKey, alg), alg };
}
