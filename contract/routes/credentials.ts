import { credentialInput, texts } from "../credential-input.js";
import { route } from "../route.js";
import { json, jsonObject, named, nothing } from "./common.js";
import { z } from "zod";

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
    sources: z
      .array(z.object({ api: z.string(), about: z.string().nullable(), pages: z.array(z.string()) }))
      .meta({
        description:
          "What the APIs that it is the credential of say of its secret, and the pages where one gets it.",
      }),
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
    login: z
      .object({
        pausedUntil: z.string().nullable().meta({ description: "No login is tried before; null: at once." }),
        last: z
          .object({
            at: z.string(),
            took: z.number().nullable().meta({ description: "Milliseconds." }),
            request: z.object({
              method: z.string(),
              url: z.string(),
              headers: texts,
              body: z.string().nullable(),
            }),
            response: z.object({ status: z.number(), headers: texts, body: json }).nullable(),
            failure: z.string().nullable().meta({ description: "Why it gave no token." }),
          })
          .nullable(),
      })
      .nullable()
      .meta({ description: "Of the kind login: its last exchange, without any secret value." }),
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
