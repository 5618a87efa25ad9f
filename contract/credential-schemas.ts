import { z } from "zod";
import { jsonObject } from "./schemas.js";

const place = z.enum(["header", "query", "cookie", "path", "body"]);
const texts = z.record(z.string(), z.string());
const secret = z.string().optional().meta({
  description: "Goes in and never comes out. Left out: the one that is kept stays, or it is still to come.",
});
const url = z.url({ protocol: /^https?$/, error: "must be an address that begins with https:// or http://" });

const common = {
  hosts: z.array(z.string().min(1)).default([]).meta({
    description:
      "Hosts (with a port where it is not the usual one) that the credential may be sent to; empty: any.",
  }),
  endsOn: z
    .union([z.iso.date(), z.iso.datetime({ offset: true })])
    .nullable()
    .default(null)
    .meta({ description: "When its secret ends; people are warned 30, 7 and 1 days ahead." }),
  overlap: z.string().optional().meta({
    description: "How long what it replaces still holds, such as 24h: the new one is tried first.",
  }),
  mayUse: z.array(z.string().min(1)).default([]).meta({
    description: "Who may use it: names of access tokens; empty: everybody.",
  }),
  mayChange: z.array(z.string().min(1)).default([]).meta({
    description: "Who may change it: names of access tokens; empty: everybody.",
  }),
};

const certificate = {
  certificate: z.string().optional().meta({ description: "In PEM; further ones of its chain behind it." }),
  privateKey: secret.meta({ description: "In PEM, encrypted or not. Goes in and never comes out." }),
  pkcs12: z.string().optional().meta({
    description: "Instead of certificate and privateKey: a PKCS#12 file, in Base64.",
  }),
  passphrase: z
    .string()
    .optional()
    .meta({ description: "Opens the key or the PKCS#12 file; it is not kept." }),
  authority: z.string().optional().meta({
    description: "Certificates of authorities that the other side is held to besides the usual ones, in PEM.",
  }),
};

const signingScheme = z
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
      .meta({ description: "A known case, checked before the scheme is kept." }),
  })
  .meta({ id: "SigningScheme" });

const oauth = z.strictObject({
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
  parameters: texts.optional().meta({ description: "Further parameters of the token request." }),
  authorizationParameters: texts
    .optional()
    .meta({ description: "Further parameters of the authorization request." }),
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
        .meta({ description: "By name; null keeps the one that is kept, or it is still to come." }),
      scheme: signingScheme,
      ...common,
    }),
    z.strictObject({ kind: z.literal("mutual-tls"), ...certificate, ...common }),
    oauth,
  ])
  .meta({ id: "CredentialInput" });
export type CredentialInput = z.input<typeof credentialInput>;

const shownParts = z.array(z.object({ place: z.string(), name: z.string(), value: z.string() }));

export const credentialState = z
  .enum(["ready", "half-filled", "sign-in", "sign-in-again", "failing"])
  .meta({ id: "CredentialState" });

const warning = z
  .object({
    days: z.number().meta({ description: "30, 7 or 1; 0 once it has ended." }),
    sentence: z.string(),
  })
  .nullable();

export const credential = z
  .object({
    name: z.string(),
    kind: z.string(),
    state: credentialState,
    sentence: z
      .string()
      .nullable()
      .meta({ description: "What is wrong or missing, in plain words; null when it is ready." }),
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
    missing: z.array(z.string()).meta({ description: "Fields that are still to come." }),
    settings: jsonObject.meta({ description: "All its fields that are no secrets." }),
    mayUse: z.array(z.string()),
    mayChange: z.array(z.string()),
    replacedUntil: z
      .string()
      .nullable()
      .meta({ description: "Until when the secret that it replaced still holds." }),
    token: z
      .object({
        obtainedAt: z.string(),
        expiresAt: z.string().nullable(),
        scopes: z.array(z.string()).nullable().meta({ description: "Those that the token really has." }),
        subject: z.string().nullable(),
        claims: jsonObject.nullable().meta({ description: "What a token that is a JWT says of itself." }),
        refreshable: z.boolean(),
      })
      .nullable(),
    scopes: z
      .array(z.object({ scope: z.string(), asked: z.boolean(), granted: z.boolean().nullable() }))
      .meta({ description: "Asked for and granted, side by side; null while there is no token." }),
    redirectUri: z.string().nullable(),
    certificates: z.array(z.object({ subject: z.string(), endsAt: z.string() })),
  })
  .meta({ id: "CredentialDetail" });
export type CredentialDetail = z.output<typeof credentialDetail>;

export const credentialAttention = z
  .object({ name: z.string(), state: credentialState, sentence: z.string(), waiting: z.number() })
  .meta({ id: "CredentialAttention" });

export const checkResult = z.object({
  ok: z.boolean(),
  code: z.string(),
  sentence: z.string(),
  status: z.number().nullable(),
  took: z.number().meta({ description: "Milliseconds." }),
  sent: shownParts,
});

export const activity = z
  .object({
    id: z.number(),
    at: z.string(),
    by: z.string(),
    action: z.string(),
    kind: z.string(),
    name: z.string(),
    run: z.string().nullable(),
    detail: z.string().nullable(),
  })
  .meta({ id: "Activity" });
export type Activity = z.output<typeof activity>;
