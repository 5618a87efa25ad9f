import { route } from "../route.js";
import { jsonObject, named, nothing } from "./common.js";
import { z } from "zod";

export const place = z.enum(["header", "query", "cookie", "path", "body"]);

export const texts = z.record(z.string(), z.string());

export const secret = z.string().optional().meta({
  description: "Write-only. Left out: the stored one stays, or the credential is incomplete.",
});

export const url = z.url({
  protocol: /^https?$/,
  error: "must be an address that begins with https:// or http://",
});

export const common = {
  hosts: z.array(z.string().min(1)).default([]).meta({
    description:
      "Hosts (with the port if it is not the default one) that the credential may be sent to. Empty: any.",
  }),
  endsOn: z
    .union([z.iso.date(), z.iso.datetime({ offset: true })])
    .nullable()
    .default(null)
    .meta({ description: "When its secret expires. People are warned 30, 7 and 1 days before." }),
  overlap: z.string().optional().meta({
    description: "How long the old secret stays valid, such as 24h. The new one is tried first.",
  }),
  mayUse: z.array(z.string().min(1)).default([]).meta({
    description: "Who may use it: names of access tokens; empty: everybody.",
  }),
  mayChange: z.array(z.string().min(1)).default([]).meta({
    description: "Who may change it: names of access tokens; empty: everybody.",
  }),
};

export const certificate = {
  certificate: z.string().optional().meta({ description: "In PEM, followed by the rest of its chain." }),
  privateKey: secret.meta({ description: "In PEM, encrypted or not. Write-only." }),
  pkcs12: z.string().optional().meta({
    description: "Instead of certificate and privateKey: a PKCS#12 file, in Base64.",
  }),
  passphrase: z
    .string()
    .optional()
    .meta({ description: "Opens the key or the PKCS#12 file. It is not stored." }),
  authority: z.string().optional().meta({
    description: "Certificates of certificate authorities to trust besides the usual ones, in PEM.",
  }),
};

export const signingScheme = z
  .strictObject({
    base: z.string().meta({ description: "A template of what is signed (the signature base)." }),
    signature: z.string().meta({ description: "An expression over base and secret.NAME." }),
    headers: texts.optional(),
    query: texts.optional(),
    vector: z
      .strictObject({
        method: z.string(),
        url: z.string(),
        body: z.string().optional(),
        now: z.number().meta({ description: "Milliseconds since 1970." }),
        nonce: z.string(),
        secrets: texts,
        signature: z.string(),
        base: z.string().optional(),
      })
      .optional()
      .meta({ description: "A test vector, checked before the scheme is saved." }),
  })
  .meta({ id: "SigningScheme" });

export const oauth = z.strictObject({
  kind: z.literal("oauth2"),
  grant: z.enum(["client-credentials", "authorization-code", "refresh-token", "password", "jwt-bearer"]),
  issuer: url
    .optional()
    .meta({ description: "Its metadata names the endpoints (RFC 8414, OpenID Connect)." }),
  tokenUrl: url.optional(),
  authorizationUrl: url.optional(),
  clientId: z.string().optional(),
  clientAuth: z
    .enum(["client_secret_basic", "client_secret_post", "private_key_jwt", "tls_client_auth", "none"])
    .default("client_secret_basic"),
  clientSecret: secret,
  ...certificate,
  keyId: z.string().optional().meta({ description: "The kid of assertions." }),
  scopes: z
    .array(z.string().regex(/^[\x21\x23-\x5b\x5d-\x7e]+$/, "one scope each, without spaces"))
    .default([]),
  audience: z.string().optional(),
  resource: z.array(z.string()).optional().meta({ description: "Where the token is to be used (RFC 8707)." }),
  parameters: texts.optional().meta({ description: "More parameters of the token request." }),
  authorizationParameters: texts
    .optional()
    .meta({ description: "More parameters of the authorization request." }),
  user: z.string().optional().meta({ description: "Of the grant password (legacy)." }),
  password: secret,
  refreshToken: secret,
  assertion: z
    .strictObject({
      issuer: z.string().optional(),
      subject: z.string().optional(),
      audience: z.string().optional(),
    })
    .optional()
    .meta({ description: "Claims of assertions that are not the usual ones (RFC 7523)." }),
  ...common,
});

export const credentialInput = z
  .discriminatedUnion("kind", [
    z.strictObject({ kind: z.literal("bearer"), token: secret, ...common }),
    z.strictObject({
      kind: z.literal("secret"),
      secret: secret.meta({ description: "What deliveries are signed with: whsec_…, hex, Base64 or text." }),
      ...common,
    }),
    z.strictObject({ kind: z.literal("basic"), user: z.string().default(""), password: secret, ...common }),
    z.strictObject({ kind: z.literal("digest"), user: z.string().default(""), password: secret, ...common }),
    z.strictObject({
      kind: z.literal("api-key"),
      parts: z
        .array(
          z.strictObject({
            place,
            name: z
              .string()
              .regex(
                /^[!#$%&'*+\-.^_`|~0-9A-Za-z]+$/,
                "the name of a header, query parameter, cookie, path part or body field",
              ),
            prefix: z.string().default(""),
            secret,
          }),
        )
        .min(1),
      ...common,
    }),
    z.strictObject({
      kind: z.literal("signed"),
      secrets: z
        .record(z.string().regex(/^[A-Za-z_]\w*$/, "letters, digits and _"), z.string().nullable())
        .meta({ description: "By name. Null leaves the stored one, or the credential is incomplete." }),
      scheme: signingScheme,
      ...common,
    }),
    z.strictObject({ kind: z.literal("mutual-tls"), ...certificate, ...common }),
    oauth,
  ])
  .meta({ id: "CredentialInput" });

export type CredentialInput = z.input<typeof credentialInput>;

export const shownParts = z.array(z.object({ place: z.string(), name: z.string(), value: z.string() }));

export const credentialState = z
  .enum(["ready", "unchecked", "incomplete", "sign-in", "sign-in-again", "failing"])
  .meta({ id: "CredentialState", description: "unchecked: nobody has tried it since it was saved." });

export const warning = z
  .object({
    days: z.number().meta({ description: "30, 7 or 1; 0 once it has expired." }),
    sentence: z.string(),
  })
  .nullable();

export const credential = z
  .object({
    name: z.string(),
    kind: z.string(),
    state: credentialState,
    sentence: z.string().nullable().meta({ description: "What is wrong or missing; null if nothing is." }),
    hosts: z.array(z.string()),
    shown: shownParts.meta({ description: "What will be sent, masked." }),
    usedBy: z.array(z.string()).meta({ description: "Workflows that name it." }),
    endsAt: z.string().nullable(),
    warning,
    lastUsedAt: z.string().nullable(),
    lastWorkedAt: z.string().nullable(),
    changedAt: z.string(),
  })
  .meta({ id: "Credential" });

export type CredentialInfo = z.output<typeof credential>;

export const credentialDetail = credential
  .extend({
    missing: z.array(z.string()).meta({ description: "Fields that are missing." }),
    settings: jsonObject.meta({ description: "All its fields that are not secrets." }),
    mayUse: z.array(z.string()),
    mayChange: z.array(z.string()),
    replacedUntil: z.string().nullable().meta({ description: "Until when the old secret stays valid." }),
    token: z
      .object({
        obtainedAt: z.string(),
        expiresAt: z.string().nullable(),
        scopes: z.array(z.string()).nullable().meta({ description: "The scopes of the token." }),
        subject: z.string().nullable(),
        claims: jsonObject.nullable().meta({ description: "The claims of a token that is a JWT." }),
        refreshable: z.boolean(),
      })
      .nullable(),
    scopes: z
      .array(z.object({ scope: z.string(), asked: z.boolean(), granted: z.boolean().nullable() }))
      .meta({ description: "Requested and granted, side by side; null without a token." }),
    redirectUri: z.string().nullable(),
    certificates: z.array(z.object({ subject: z.string(), endsAt: z.string() })),
  })
  .meta({ id: "CredentialDetail" });

export type CredentialDetail = z.output<typeof credentialDetail>;

export const checkResult = z.object({
  ok: z.boolean(),
  code: z.string(),
  sentence: z.string(),
  status: z.number().nullable(),
  took: z.number().meta({ description: "Milliseconds." }),
  sent: shownParts,
});

export const credentialsRoutes = {
  listCredentials: route({
    method: "GET",
    path: "/api/credentials",
    summary: "List the credentials, without their secrets",
    output: z.object({ credentials: z.array(credential) }),
    status: 200,
    needs: "token",
  }),
  credential: route({
    method: "GET",
    path: "/api/credentials/{name}",
    summary: "Get one credential: its settings, token and scopes; never its secrets",
    params: named,
    output: credentialDetail,
    status: 200,
    needs: "token",
  }),
  putCredential: route({
    method: "PUT",
    path: "/api/credentials/{name}",
    summary: "Add or replace a credential; it may be incomplete",
    params: named,
    body: credentialInput,
    output: z.object({
      credential,
      removed: z.array(z.string()).meta({ description: "What was removed from the given secrets." }),
    }),
    status: 200,
    needs: "token",
  }),
  removeCredential: route({
    method: "DELETE",
    path: "/api/credentials/{name}",
    summary: "Remove a credential",
    params: named,
    output: nothing,
    status: 204,
    needs: "token",
  }),
  checkCredential: route({
    method: "POST",
    path: "/api/credentials/{name}/check",
    summary: "Check a credential with a real token request or call, and explain the result",
    params: named,
    body: z.strictObject({
      url: z.string().optional().meta({
        description: "A URL to test the credential against. Empty: only request a token.",
      }),
      method: z.enum(["GET", "HEAD", "OPTIONS"]).default("GET"),
    }),
    output: checkResult,
    status: 200,
    needs: "token",
  }),
  signInCredential: route({
    method: "POST",
    path: "/api/credentials/{name}/sign-in",
    summary: "Begin a sign-in: get the address at which a person signs in",
    params: named,
    output: z.object({ url: z.string(), expiresAt: z.string() }),
    status: 200,
    needs: "token",
  }),
  forgetToken: route({
    method: "DELETE",
    path: "/api/credentials/{name}/token",
    summary: "Delete tokens of a credential; the next call asks for a new one, or wants a sign-in",
    params: named,
    output: nothing,
    status: 204,
    needs: "token",
  }),
  requestSheet: route({
    method: "GET",
    path: "/api/credentials/{name}/request-sheet",
    summary: "Get the request sheet: what the administrator of the API needs to know, in Markdown",
    params: named,
    output: z.object({ markdown: z.string() }),
    status: 200,
    needs: "token",
  }),
  redirectUri: route({
    method: "GET",
    path: "/api/redirect-uri",
    summary: "Get the redirect URI of this installation",
    output: z.object({ redirectUri: z.string() }),
    status: 200,
    needs: "token",
  }),
} as const;
