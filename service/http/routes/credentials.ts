import { routes } from "@copper-kettle/contract";
import {
  type OAuthCredential,
  requestSheet,
  wantsOtherTokens,
  wantsSignIn,
  wantsToken,
} from "@copper-kettle/core";
import type { Express } from "express";
import { checkCredential } from "../../credentials/check.js";
import { readCredentialInput } from "../../credentials/input.js";
import { credentialsUsed } from "../../credentials/rights.js";
import { secretSources } from "../../credentials/sources.js";
import { credentialDetailView, credentialView } from "../../credentials/view.js";
import type { OpenCredential } from "../../store/credentials.js";
import { iso } from "../../times.js";
import type { Context } from "../context.js";
import { HttpProblem, notFound } from "../problems.js";
import { requireMayChange, requireMayUse } from "../rights.js";
import { serve } from "../serve-route.js";

export function serveCredentials(app: Express, context: Context): void {
  const { credentials, tokens, signIns, activity } = context;
  const find = (name: string): OpenCredential => {
    const open = credentials.get(name);
    if (!open) throw notFound("credential", name);
    return open;
  };
  const oauthOf = (name: string): OAuthCredential => {
    const { credential } = find(name);
    if (credential.kind !== "oauth2") throw noTokens(find(name));
    return credential;
  };
  serve(app, routes.listCredentials, async () => {
    const users = await usersOf(context);
    const now = Date.now();
    return {
      credentials: credentials
        .all()
        .map((open) => credentialView(open, tokens, users.get(open.name) ?? [], now)),
    };
  });

  serve(app, routes.credential, async ({ params }) => {
    const usedBy = (await usersOf(context)).get(params.name) ?? [];
    const open = find(params.name);
    return credentialDetailView(open, tokens, {
      usedBy,
      sources: secretSources(context.apis, open.name, open.credential.kind),
      redirectUri: signIns.redirectUri,
      now: Date.now(),
    });
  });

  serve(app, routes.putCredential, async ({ params: { name }, body, by }) => {
    const known = credentials.get(name);
    if (known) requireMayChange(known, by);
    const { credential, settings, overlap, removed } = readCredentialInput(body, known?.credential);
    const before = known?.credential;
    if (before && wantsToken(before) && wantsOtherTokens(before, credential)) await tokens.forget(name);
    const open = await credentials.put(name, credential, settings, overlap);
    await activity.note({ by, action: known ? "changed" : "added", kind: "credential", name });
    const usedBy = (await usersOf(context)).get(name) ?? [];
    return { credential: credentialView(open, tokens, usedBy, Date.now()), removed };
  });

  serve(app, routes.removeCredential, async ({ params: { name }, by }) => {
    requireMayChange(find(name), by);
    await tokens.forget(name);
    await credentials.remove(name);
    await activity.note({ by, action: "removed", kind: "credential", name });
  });

  serve(app, routes.checkCredential, async ({ params: { name }, body, by }) => {
    const open = find(name);
    requireMayUse(open, by);
    const result = await checkCredential(context, open, { ...body, by });
    await activity.note({ by, action: "checked", kind: "credential", name, detail: result.code });
    return result;
  });

  serve(app, routes.signInCredential, async ({ params: { name }, by }) => {
    requireMayChange(find(name), by);
    const { url, expiresAt } = await signIns.begin(name, by);
    return { url, expiresAt: iso(expiresAt) };
  });

  serve(app, routes.forgetToken, async ({ params: { name }, by }) => {
    const open = find(name);
    requireMayChange(open, by);
    if (!wantsToken(open.credential)) throw noTokens(open);
    await tokens.forget(name);
    await activity.note({ by, action: "token forgotten", kind: "credential", name });
  });

  serve(app, routes.requestSheet, async ({ params: { name } }) => {
    const credential = oauthOf(name);
    return {
      markdown: requestSheet(name, credential, signIns.redirectUri, await consentUrl(context, credential)),
    };
  });

  serve(app, routes.redirectUri, async () => ({ redirectUri: signIns.redirectUri }));
}

function noTokens({ name, credential }: OpenCredential): HttpProblem {
  return new HttpProblem(
    409,
    "credential",
    "No OAuth credential",
    `"${name}" is of the kind ${credential.kind}; only oauth2 has sign-ins and request sheets, and only oauth2 and login have tokens.`,
  );
}

/** Where an administrator consents beforehand; undefined while the client or the endpoint is not known. */
async function consentUrl(
  { requests, signIns }: Context,
  credential: OAuthCredential,
): Promise<string | undefined> {
  if (!wantsSignIn(credential) || !credential.clientId) return undefined;
  const server = await requests.server(credential).catch(() => undefined);
  if (!server?.authorization_endpoint) return undefined;
  const url = new URL(server.authorization_endpoint);
  const parameters = {
    response_type: "code",
    client_id: credential.clientId,
    redirect_uri: signIns.redirectUri,
    scope: credential.scopes.join(" "),
    prompt: "consent",
  };
  for (const [name, value] of Object.entries(parameters)) if (value) url.searchParams.set(name, value);
  return url.href;
}

/** Which workflows use which credentials. */
async function usersOf({ workflows, apis }: Context): Promise<Map<string, string[]>> {
  const found = new Map<string, string[]>();
  for (const row of await workflows.all())
    for (const name of credentialsUsed((await workflows.parsed(row.draft)).partial, apis))
      found.set(name, [...(found.get(name) ?? []), row.name]);
  return found;
}
