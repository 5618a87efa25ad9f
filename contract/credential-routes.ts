import { z } from "zod";
import {
  activity,
  checkResult,
  credential,
  credentialDetail,
  credentialInput,
} from "./credential-schemas.js";
import { route } from "./route.js";
import { name } from "./schemas.js";

const named = z.object({ name });
const nothing = z.undefined();

export const credentialRoutes = {
  listCredentials: route({
    method: "GET",
    path: "/api/credentials",
    summary: "All credentials, without their secrets",
    output: z.object({ credentials: z.array(credential) }),
    status: 200,
  }),
  credential: route({
    method: "GET",
    path: "/api/credentials/{name}",
    summary: "One credential: its settings, its token, its scopes; never its secrets",
    params: named,
    output: credentialDetail,
    status: 200,
  }),
  putCredential: route({
    method: "PUT",
    path: "/api/credentials/{name}",
    summary: "Add a credential, or replace one; also half filled, to be finished later",
    params: named,
    body: credentialInput,
    output: z.object({
      credential,
      removed: z.array(z.string()).meta({ description: "What was taken off the secrets given." }),
    }),
    status: 200,
  }),
  removeCredential: route({
    method: "DELETE",
    path: "/api/credentials/{name}",
    summary: "Remove a credential",
    params: named,
    output: nothing,
    status: 204,
  }),
  checkCredential: route({
    method: "POST",
    path: "/api/credentials/{name}/check",
    summary:
      "Make a real token request, or a real call with a credential, and say in plain words what came back",
    params: named,
    body: z.strictObject({
      url: z.string().optional().meta({
        description: "An address that wants this credential; not needed where a token request tells enough.",
      }),
      method: z.enum(["GET", "HEAD", "OPTIONS"]).default("GET"),
    }),
    output: checkResult,
    status: 200,
  }),
  signInCredential: route({
    method: "POST",
    path: "/api/credentials/{name}/sign-in",
    summary: "Begin a sign-in: where a person has to go",
    params: named,
    output: z.object({ url: z.string(), expiresAt: z.string() }),
    status: 200,
  }),
  forgetToken: route({
    method: "DELETE",
    path: "/api/credentials/{name}/token",
    summary: "Forget the tokens of a credential; the next call asks for a new one, or wants a sign-in",
    params: named,
    output: nothing,
    status: 204,
  }),
  requestSheet: route({
    method: "GET",
    path: "/api/credentials/{name}/request-sheet",
    summary: "What the administrator on the other side needs to know, in Markdown",
    params: named,
    output: z.object({ markdown: z.string() }),
    status: 200,
  }),
  redirectUri: route({
    method: "GET",
    path: "/api/redirect-uri",
    summary: "The redirect URI of this installation, to be registered on the other side",
    output: z.object({ redirectUri: z.string() }),
    status: 200,
  }),
} as const;

export const activityRoutes = {
  listActivity: route({
    method: "GET",
    path: "/api/activity",
    summary: "The activity record: who did what, the newest first",
    query: z.object({
      credential: name.optional(),
      before: z.coerce.number().int().optional(),
      limit: z.coerce.number().int().min(1).max(500).default(100),
    }),
    output: z.object({ activity: z.array(activity) }),
    status: 200,
  }),
} as const;

const token = z.object({ name: z.string(), createdAt: z.string() });

export const tokenRoutes = {
  listTokens: route({
    method: "GET",
    path: "/api/tokens",
    summary: "The access tokens, by name; never themselves",
    output: z.object({ tokens: z.array(token) }),
    status: 200,
  }),
  createToken: route({
    method: "POST",
    path: "/api/tokens",
    summary: "Make an access token; it is shown once, in this answer",
    body: z.strictObject({ name }),
    output: token.extend({ token: z.string() }),
    status: 201,
    needs: "owner",
  }),
  removeToken: route({
    method: "DELETE",
    path: "/api/tokens/{name}",
    summary: "Remove an access token; who holds it is out at once",
    params: named,
    output: nothing,
    status: 204,
  }),
} as const;
