import { routes, type ApiDetail, type ApiSummary, type OperationDetail } from "@copper-kettle/contract";
import {
  apiChanges,
  bounds,
  inlinedSchema,
  operationCalls,
  readApi,
  RequestRefused,
  type Content,
  type JsonObject,
  type Operation,
} from "@copper-kettle/core";
import type { Express } from "express";
import { BadDocument, loadDocument, type LoadedDocument } from "../openapi/load.js";
import type { OpenApi } from "../store/apis.js";
import type { Context } from "./context.js";
import { HttpProblem, notFound } from "./problems.js";
import { requireMayUse } from "./rights.js";
import { serve } from "./serve-route.js";
import { iso } from "./views.js";

interface Given {
  text?: string | undefined;
  url?: string | undefined;
  server?: string | undefined;
  credential?: string | undefined;
}

const timeout = { connect: 10_000, answer: 30_000 };

/** Described APIs, and what they hold. */
export function serveApis(app: Express, context: Context): void {
  const { apis, workflows } = context;

  const find = (name: string): OpenApi => {
    const open = apis.get(name);
    if (!open) throw notFound("API", name);
    return open;
  };
  /** Reads a document that was given, and what would change with it. */
  const reading = async (name: string, given: Given) => {
    const { loaded, text, source } = await loadGiven(context, given);
    const document = settled(loaded.document, given, source);
    const api = readApi(document);
    const before = apis.get(name)?.api;
    const users = await operationUsers(workflows);
    const changes = (before ? apiChanges(before, api) : []).map((change) => ({
      ...change,
      usedBy:
        users.get(
          `${name}.${before?.operations.find(({ method, path }) => method === change.method && path === change.path)?.id ?? change.id}`,
        ) ?? [],
    }));
    const { written } = loaded;
    const shown = {
      title: api.title,
      written,
      operations: api.operations.length,
      servers: api.servers,
      notes: [...loaded.notes, ...api.notes],
      changes,
    };
    return { document, text, source, written, shown };
  };
  const detail = (open: OpenApi) => apiDetailView(context, open);

  serve(app, routes.listApis, async () => {
    const users = await operationUsers(workflows);
    return { apis: apis.all().map((open) => summaryOf(open, users)) };
  });
  serve(app, routes.api, async ({ params }) => detail(find(params.name)));
  serve(app, routes.previewApi, async ({ params, body }) => (await reading(params.name, body)).shown);
  serve(app, routes.putApi, async ({ params: { name }, body, by }) => {
    const { document, text, source, written, shown } = await reading(name, body);
    requireCredential(context, document, by);
    const open = await apis.put(name, document, { original: text, written, source, by, base: body.base });
    return { ...shown, api: await detail(open) };
  });
  serve(app, routes.removeApi, async ({ params }) => {
    if (!(await apis.remove(params.name))) throw notFound("API", params.name);
  });
  serve(app, routes.apiDocument, async ({ params, query }) => {
    const { revision } = find(params.name);
    if (!(await apis.revision(params.name, query.revision)))
      throw notFound("revision", `${params.name} ${query.revision ?? ""}`);
    return apis.documentOf(params.name, query.revision ?? revision);
  });
  serve(app, routes.listOperations, async ({ params, query }) => ({
    operations: searched(find(params.name).api.operations, query.search ?? "").map(
      ({ id, method, path, title, effect, deprecated }) => ({ id, method, path, title, effect, deprecated }),
    ),
  }));
  serve(app, routes.operation, async ({ params: { name, id } }) => {
    const operation = find(name).api.operations.find((one) => one.id === id);
    if (!operation) throw notFound("operation", `${name}.${id}`);
    const users = (await operationUsers(workflows)).get(`${name}.${id}`) ?? [];
    return operationView(find(name).document, operation, users);
  });
}

/**
 * Whoever gives an API a credential, or another server, must be allowed to use it: all calls of its operations do.
 * @throws HttpProblem 403
 */
export function requireCredential({ credentials }: Context, document: JsonObject, by: string): void {
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
    notes: api.notes,
    drift: drift.list(open.name).length,
    revisions: revisions.map(({ revision, createdAt, createdBy, written, source }) => ({
      revision,
      at: iso(createdAt),
      by: createdBy,
      written,
      source,
    })),
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

/** An operation as its page shows it; schemas with their references written out. */
export function operationView(document: JsonObject, operation: Operation, usedBy: string[]): OperationDetail {
  const { about, docs, body, success, responses, parameters, ...rest } = operation;
  const inlined = (content: Content[]) =>
    content.map((one) => (one.schema ? { ...one, schema: inlinedSchema(document, one.schema) } : one));
  return {
    ...rest,
    parameters: parameters.map((one) => ({ ...one, schema: inlinedSchema(document, one.schema) })),
    responses: responses.map((one) => ({ ...one, content: inlined(one.content) })),
    about: about ?? null,
    docs: docs ?? null,
    body: body ? { ...body, content: inlined(body.content) } : null,
    success: success ?? null,
    usedBy,
  };
}

/** Each word of a search must stand in the id, the path, the method, the title or the description. */
function searched(operations: Operation[], search: string): Operation[] {
  const words = search.toLowerCase().split(/\s+/).filter(Boolean);
  return operations.filter(({ id, method, path, title, about = "" }) => {
    const text = `${id} ${method} ${path} ${title} ${about}`.toLowerCase();
    return words.every((word) => text.includes(word));
  });
}

async function loadGiven(
  { transport }: Context,
  { text, url }: Given,
): Promise<{ loaded: LoadedDocument; text: string; source: string | null }> {
  if ((text === undefined) === (url === undefined))
    throw new HttpProblem(400, "invalid-request", "Which document?", 'Give either "text" or "url".');
  try {
    if (text !== undefined) return { loaded: await loadDocument(text), text, source: null };
    const response = await transport.send(
      {
        method: "GET",
        url: url as string,
        headers: [["Accept", "application/yaml, application/json, */*;q=0.5"]],
      },
      { timeout, signal: new AbortController().signal, mostAnswer: bounds.documentLength },
    );
    if (response.status !== 200) throw new BadDocument(`${url} answers ${response.status}, not a document.`);
    const fetched = new TextDecoder().decode(response.body);
    return { loaded: await loadDocument(fetched), text: fetched, source: url as string };
  } catch (error) {
    if (error instanceof BadDocument || error instanceof RequestRefused)
      throw new HttpProblem(422, "bad-document", "This cannot be taken as an API's document", error.message, {
        errors: [{ field: text === undefined ? "url" : "text", message: error.message }],
      });
    throw error;
  }
}

/** The document with what was said beside it: the server and the credential; relative servers made whole. */
function settled(document: JsonObject, { server, credential }: Given, source: string | null): JsonObject {
  const servers = Array.isArray(document["servers"]) ? document["servers"] : [];
  const whole = servers.map((item) => {
    const url = (item as { url?: unknown }).url;
    const relative = typeof url === "string" && source !== null && url.startsWith("/");
    return relative ? { ...(item as JsonObject), url: new URL(url, source).href } : item;
  });
  return {
    ...document,
    ...(whole.length > 0 ? { servers: whole } : {}),
    ...(server === undefined
      ? {}
      : { servers: [{ url: server }, ...whole.filter((item) => (item as { url?: string }).url !== server)] }),
    ...(credential === undefined ? {} : { "x-ckettle-credential": credential }),
  };
}

/** Which workflows call which operations, by `api.id`. */
export async function operationUsers(workflows: Context["workflows"]): Promise<Map<string, string[]>> {
  const found = new Map<string, string[]>();
  for (const row of await workflows.all()) {
    const { partial } = await workflows.parsed(row.draft);
    const names = operationCalls(partial?.steps ?? []).map(({ api, id }) => `${api}.${id}`);
    for (const name of new Set(names)) found.set(name, [...(found.get(name) ?? []), row.name]);
  }
  return found;
}
