import { type ApiDetail, type ApiSummary, routes, type SecuritySchemeView } from "@copper-kettle/contract";
import {
  apiChanges,
  type JsonObject,
  operationCalls,
  readApi,
  bounds,
  RequestRefused,
  type Principal,
  type SecurityScheme,
  principalName,
} from "@copper-kettle/core";
import type { Express } from "express";
import { setImmediate } from "node:timers/promises";
import { BadDocument } from "../../openapi/load.js";
import type { Beside } from "../../openapi/settle.js";
import type { OpenApi } from "../../store/apis.js";
import { iso } from "../../times.js";
import type { Context } from "../context.js";
import { findApi } from "../found.js";
import { HttpProblem, notFound } from "../problems.js";
import { requireMayUse } from "../rights.js";
import { serve } from "../serve-route.js";

export function serveApis(app: Express, context: Context): void {
  const { workflows, apis, networks } = context;
  const detail = (open: OpenApi) => apiDetailView(context, open);
  /** Reads a document that was given, and what would change with it. */
  const reading = async (name: string, given: Given) => {
    const before = apis.get(name)?.api;
    const { text, source, read } = await loadGiven(context, given, before?.credential);
    const { document, json, written, notes, leftOut } = read;
    // Each part of a large document in a turn of its own: others are answered between.
    await setImmediate();
    const api = readApi(document);
    await setImmediate();
    const users = await operationUsers(workflows);
    const changes = (before ? apiChanges(before, api) : []).map((change) => ({
      ...change,
      usedBy:
        users.get(
          `${name}.${before?.operations.find(({ method, path }) => method === change.method && path === change.path)?.id ?? change.id}`,
        ) ?? [],
    }));
    const shown = {
      title: api.title,
      written,
      operations: api.operations.length,
      servers: api.servers,
      security: api.security.map(securityView),
      notes: [...notes, ...api.notes],
      leftOut,
      changes,
    };
    return { read: { document, json, api }, text, source, written, shown };
  };
  serve(app, routes.listApis, async () => {
    const users = await operationUsers(workflows);
    return { apis: apis.all().map((open) => summaryOf(open, users)) };
  });

  serve(app, routes.api, async ({ params }) => detail(findApi(context, params.name)));

  serve(app, routes.previewApi, async ({ params, body }) => (await reading(params.name, body)).shown);

  serve(app, routes.putApi, async ({ params: { name }, body, by }) => {
    const { read, text, source, written, shown } = await reading(name, body);
    requireCredential(context, read.document, by);
    const open = await apis.put(name, read, { original: text, written, source, by, base: body.base });
    return { ...shown, api: await detail(open) };
  });

  serve(app, routes.removeApi, async ({ params }) => {
    if (!(await apis.remove(params.name))) throw notFound("API", params.name);
    // Another API of that name is another one.
    if (networks.all().api[params.name]) await networks.put("api", params.name, undefined);
  });

  serve(app, routes.apiDocument, async ({ params, query }) => {
    const { revision } = findApi(context, params.name);
    if (!(await apis.revision(params.name, query.revision)))
      throw notFound("revision", `${params.name} ${query.revision ?? ""}`);
    return apis.documentOf(params.name, query.revision ?? revision);
  });
}

interface Given extends Beside {
  text?: string | undefined;
  url?: string | undefined;
}

const timeout = { connect: 10_000, response: 30_000 };

/**
 * Whoever gives an API a credential, or another server, must be allowed to use it: all calls of its operations do.
 * @throws HttpProblem 403
 */
export function requireCredential({ credentials }: Context, document: JsonObject, by: Principal): void {
  const open = credentials.get(String(document["x-ckettle-credential"] ?? ""));
  if (open) requireMayUse(open, by);
}

/** An API as its page shows it. */
export async function apiDetailView({ apis, workflows, drift }: Context, open: OpenApi): Promise<ApiDetail> {
  const revisions = await apis.revisions(open.name);
  const { api } = open;
  return {
    ...summaryOf(open, await operationUsers(workflows)),
    about: api.about ?? null,
    servers: api.servers,
    security: api.security.map(securityView),
    notes: api.notes,
    drift: drift.list(open.name).length,
    revisions: revisions.map(({ revision, createdAt, createdBy, written, source }) => ({
      revision,
      at: iso(createdAt),
      by: principalName(createdBy),
      written,
      source,
    })),
  };
}

function securityView({ kind, place, oauth, about, ...rest }: SecurityScheme): SecuritySchemeView {
  return {
    ...rest,
    kind: kind ?? null,
    place: place ?? null,
    oauth: oauth ? { tokenUrl: null, authorizationUrl: null, ...oauth } : null,
    about: about ?? null,
  };
}

function summaryOf({ name, revision, api, changedAt }: OpenApi, users: Map<string, string[]>): ApiSummary {
  const using = [...users].flatMap(([operation, list]) => (operation.startsWith(`${name}.`) ? list : []));
  return {
    name,
    title: api.title,
    version: api.version,
    revision,
    server: api.servers[0] ?? null,
    credential: api.credential ?? null,
    operations: api.operations.length,
    changedAt: iso(changedAt),
    usedBy: [...new Set(using)].sort(),
  };
}

async function loadGiven(
  { transport, documents }: Context,
  { text, url, ...beside }: Given,
  before: string | undefined,
) {
  if ((text === undefined) === (url === undefined))
    throw new HttpProblem(400, "invalid-request", "Which document?", 'Give either "text" or "url".');
  try {
    if (text !== undefined)
      return { read: await documents.read({ text, beside, source: null, before }), text, source: null };
    const response = await transport.send(
      {
        method: "GET",
        url: url as string,
        headers: [["Accept", "application/yaml, application/json, */*;q=0.5"]],
      },
      { timeout, signal: new AbortController().signal, longestResponse: bounds.documentLength },
    );
    if (response.status !== 200)
      throw new BadDocument(`${url} sent ${response.status} instead of a document.`);
    const fetched = new TextDecoder().decode(response.body);
    const source = url as string;
    return { read: await documents.read({ text: fetched, beside, source, before }), text: fetched, source };
  } catch (error) {
    if (error instanceof BadDocument || error instanceof RequestRefused)
      throw new HttpProblem(422, "bad-document", "This is not an API document", error.message, {
        errors: [{ field: text === undefined ? "url" : "text", message: error.message }],
      });
    throw error;
  }
}

/** Which workflows call which operations, by `api.id`: in their drafts, or in what is published. */
export async function operationUsers(workflows: Context["workflows"]): Promise<Map<string, string[]>> {
  const found = new Map<string, string[]>();
  for (const row of await workflows.all()) {
    const version = row.published === null ? undefined : await workflows.version(row.name, row.published);
    const names: string[] = [];
    for (const text of new Set([row.draft, ...(version ? [version.text] : [])])) {
      const { partial } = await workflows.parsed(text);
      names.push(...(partial ? operationCalls(partial) : []).map(({ api, id }) => `${api}.${id}`));
    }
    for (const name of new Set(names)) found.set(name, [...(found.get(name) ?? []), row.name]);
  }
  return found;
}
