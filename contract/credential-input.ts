import { z } from "zod";
import { json, jsonObject } from "./routes/common.js";

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

const loginRequest = {
  request: z.string().meta({
    description:
      "Method and URL, its host written out: POST https://depot.example/session. TLS, or loopback.",
  }),
  headers: texts.optional(),
  body: z
    .strictObject({ json, form: jsonObject, text: z.string() })
    .partial()
    .optional()
    .meta({ description: "One of them. Texts may hold ${secret.NAME}." }),
};

export const loginScheme = z
  .strictObject({
    ...loginRequest,
    success: z
      .string()
      .optional()
      .meta({ description: "An expression over status, headers, body, cookies; 200 to 299 if left out." }),
    token: z
      .string()
      .optional()
      .meta({ description: "An expression over the response that gives the token." }),
    cookie: z.string().optional().meta({ description: "Instead: the cookie that is the token." }),
    attach: z
      .strictObject({ header: z.string(), query: z.string(), cookie: z.string(), value: z.string() })
      .partial()
      .optional()
      .meta({
        description:
          "Where calls carry it, and its value with ${token}. Left out: Authorization: Bearer, or the cookie.",
      }),
    lives: z.string().optional().meta({
      description:
        "How long it lives: 50m, or an expression that gives seconds or a duration. Left out: until it is refused.",
    }),
    refused: z.string().optional().meta({
      description:
        "An expression: when a response to a call means that the token has ended. Left out: status 401.",
    }),
    renew: z
      .strictObject(loginRequest)
      .optional()
      .meta({ description: "Gives a new token for one that still lives; sees ${token}." }),
  })
  .meta({ id: "LoginScheme" });

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

const namedSecrets = z
  .record(z.string().regex(/^[A-Za-z_]\w*$/, "letters, digits and _"), z.string().nullable())
  .meta({ description: "By name. Null leaves the stored one, or the credential is incomplete." });

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
      secrets: namedSecrets,
      scheme: signingScheme,
      ...common,
    }),
    z.strictObject({
      kind: z.literal("login"),
      secrets: namedSecrets,
      scheme: loginScheme,
      ...common,
    }),
    z.strictObject({ kind: z.literal("mutual-tls"), ...certificate, ...common }),
    oauth,
  ])
  .meta({ id: "CredentialInput" });

export type CredentialInput = z.input<typeof credentialInput>;
