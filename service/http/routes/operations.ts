import { understood } from "./tries.js";
import { type OperationDetail, routes } from "@copper-kettle/contract";
import {
  operationById,
  adoptStep,
  bodyFieldsOf,
  CannotAdopt,
  CannotEdit,
  type Content,
  inlinedSchema,
  type JsonObject,
  newDocument,
  type Operation,
  operationCalls,
  operationFromPasted,
  type OperationPlace,
  parseTemplate,
  printJson,
  rawOperation,
  isMethod,
  replaceNamed,
  renderTemplate,
  type FoundSecret,
  type UnderstoodRequest,
  withOperation,
  withoutOperation,
  type Principal,
} from "@copper-kettle/core";
import type { Express } from "express";
import { readCredentialInput } from "../../credentials/input.js";
import type { OpenApi } from "../../store/apis.js";
import { DraftConflict } from "../../store/workflows.js";
import type { Context } from "../context.js";
import { findApi, findOperation } from "../found.js";
import { HttpProblem, notFound } from "../problems.js";
import { serve } from "../serve-route.js";
import { apiDetailView, operationUsers, requireCredential } from "./apis.js";

export function serveOperations(app: Express, context: Context): void {
  const { apis, workflows } = context;
  serve(app, routes.listOperations, async ({ params, query }) => ({
    operations: searched(findApi(context, params.name).api.operations, query.search ?? "").map(
      ({ id, method, path, title, effect, deprecated }) => ({ id, method, path, title, effect, deprecated }),
    ),
  }));

  serve(app, routes.operation, async ({ params: { name, id } }) => {
    const operation = operationById(findApi(context, name).api.operations, id);
    if (!operation) throw notFound("operation", `${name}.${id}`);
    const users = (await operationUsers(workflows)).get(`${name}.${id}`) ?? [];
    return operationView(findApi(context, name).document, operation, users);
  });

  serve(app, routes.operationSource, async ({ params: { name, id } }) => {
    const { open, operation } = findOperation(context, name, id);
    const { method, path } = operation;
    return { method, path, operation: rawOperation(open.document, operation) ?? {}, revision: open.revision };
  });

  serve(app, routes.putOperation, async ({ params: { name, id }, body, by }) => {
    const { open, operation } = findOperation(context, name, id);
    const method = body.method?.toUpperCase() ?? operation.method;
    const path = body.path ?? operation.path;
    if (body.operation["servers"] !== undefined) requireCredential(context, open.document, by);
    const moved = method !== operation.method || path !== operation.path;
    requireSound(open, operation, { method, path }, body.operation);
    const without = moved ? withoutOperation(open.document, operation) : open.document;
    const to = body.operation["operationId"];
    const renames = typeof to === "string" && to !== operation.id;
    const raw = renames ? { ...body.operation, "x-ckettle-was": wasOf(operation, to) } : body.operation;
    const document = withOperation(without, { method, path }, raw);
    const now = await apis.put(
      name,
      { document },
      {
        original: printJson(body.operation),
        written: `a change of ${id}`,
        source: null,
        by,
        base: body.base,
      },
    );
    const changed = now.api.operations.find((one) => one.method === method && one.path === path) as Operation;
    if (renames) await renamedInDrafts(context, `${name}.${operation.id}`, `${name}.${changed.id}`);
    const users = await operationUsers(workflows);
    return {
      operation: operationView(now.document, changed, users.get(`${name}.${changed.id}`) ?? []),
      api: await apiDetailView(context, now),
    };
  });

  serve(app, routes.renameOperation, async ({ params: { name, id }, body: { to }, by }) => {
    const { open, operation } = findOperation(context, name, id);
    if (to === operation.id)
      throw new HttpProblem(422, "bad-operation", "Nothing to rename", `It is called ${to}.`);
    const before = rawOperation(open.document, operation) ?? {};
    const renamed = { ...before, operationId: to, "x-ckettle-was": wasOf(operation, to) };
    requireSound(open, operation, operation, renamed);
    const now = await apis.put(
      name,
      { document: withOperation(open.document, operation, renamed) },
      { original: printJson(renamed), written: `${operation.id} renamed to ${to}`, source: null, by },
    );
    const { changed, left } = await renamedInDrafts(context, `${name}.${operation.id}`, `${name}.${to}`);
    const users = (await operationUsers(workflows)).get(`${name}.${to}`) ?? [];
    return {
      operation: operationView(now.document, operationById(now.api.operations, to) as Operation, users),
      api: await apiDetailView(context, now),
      changed,
      left,
    };
  });

  serve(app, routes.removeOperation, async ({ params: { name, id }, query, by }) => {
    const { open, operation } = findOperation(context, name, id);
    const used = await operationUsers(workflows);
    const names = [operation.id, ...(operation.was ?? [])].map((one) => `${name}.${one}`);
    const users = [...new Set(names.flatMap((one) => used.get(one) ?? []))];
    if (users.length > 0 && query.anyway !== "true")
      throw new HttpProblem(
        409,
        "in-use",
        "Workflows call this operation",
        `${name}.${operation.id} is called by ${users.join(", ")}: their calls would fail. Remove it anyway, or change them first.`,
      );
    await apis.put(
      name,
      { document: withoutOperation(open.document, operation) },
      {
        original: "",
        written: `without ${id}`,
        source: null,
        by,
      },
    );
  });

  serve(app, routes.addOperation, async ({ params: { name }, body, by }) => {
    const sample = understood(body.text);
    const open = apis.get(name);
    const servers = open?.api.servers ?? [];
    const placeholders =
      body.placeholders ?? Object.fromEntries(sample.variable.map((part) => [part.index, part.name]));
    const made = operationFromPasted(
      sample,
      { id: body.id, title: body.title, placeholders: placeholders as Record<number, string>, servers },
      new Set(open?.api.operations.map(({ id }) => id)),
    );
    const notes = [...sample.notes];
    if (open && made.operation["servers"] !== undefined) requireCredential(context, open.document, by);
    if (made.operation["servers"] !== undefined)
      notes.push(`This operation goes to ${sample.server}, and other calls of ${name} to ${servers[0]}.`);
    const credential = body.credential ?? null;
    if (sample.secret && credential === null)
      notes.push(
        "Its key was not saved. Add it as a credential, or paste the request again with a name for one.",
      );
    if (credential !== null) await keepKey(context, credential, sample, by);
    const document = open?.document ?? newDocument(name, sample.server);
    const whole = withOperation(
      credential !== null && open?.api.credential === undefined
        ? { ...document, "x-ckettle-credential": credential }
        : document,
      made,
      made.operation,
    );
    const about = { original: printJson(made), written: sample.form, source: null, by };
    const kept = await apis.put(name, { document: whole }, about);
    const id = made.operation["operationId"] as string;
    return { id, notes, credential, api: await apiDetailView(context, kept) };
  });

  serve(app, routes.adoptStep, async ({ params, body, by }) => {
    const row = await workflows.find(params.name);
    if (!row) throw notFound("workflow", params.name);
    const open = apis.get(body.api);
    const document = open?.document ?? newDocument(body.api, "");
    try {
      const adopted = adoptStep(await workflows.text(row.draft), body.step, {
        name: body.api,
        document,
        api: open?.api,
        id: body.id,
        resolve: (template) => serverOf(context, template),
      });
      const notes = [...adopted.notes];
      if (!open || printJson(adopted.document) !== printJson(document))
        await apis.put(
          body.api,
          { document: adopted.document },
          {
            original: printJson(adopted.document),
            written: `the workflow ${params.name}`,
            source: null,
            by,
          },
        );
      await workflows.push(params.name, adopted.text, body.base ?? row.revision);
      return {
        operation: `${body.api}.${adopted.id}`,
        notes,
        text: adopted.text,
        api: await apiDetailView(context, apis.get(body.api) as OpenApi),
      };
    } catch (error) {
      if (!(error instanceof CannotAdopt)) throw error;
      throw new HttpProblem(422, "cannot-adopt", "This call cannot become an operation", error.message, {
        errors: [{ field: "step", message: error.message }],
      });
    }
  });
}

/** The ids that an operation had, once it has another one. */
function wasOf({ id, was = [] }: Operation, to: string): string[] {
  return [...new Set([...was, id])].filter((one) => one !== to);
}

/** Names an operation anew in every draft that calls it. */
async function renamedInDrafts(
  { workflows }: Context,
  from: string,
  to: string,
): Promise<{ changed: string[]; left: { workflow: string; reason: string }[] }> {
  const changed: string[] = [];
  const left: { workflow: string; reason: string }[] = [];
  for (const row of await workflows.all()) {
    try {
      const text = await workflows.text(row.draft);
      const made = replaceNamed(text, "operation", from, to);
      if (made === text) continue;
      await workflows.push(row.name, made, row.revision);
      changed.push(row.name);
    } catch (error) {
      if (!(error instanceof CannotEdit || error instanceof DraftConflict)) throw error;
      // By its old id it is still found.
      const { partial } = await workflows.parsed(row.draft);
      const calls = partial ? operationCalls(partial) : [];
      if (calls.some(({ api, id }) => `${api}.${id}` === from))
        left.push({ workflow: row.name, reason: error.message });
    }
  }
  return { changed, left };
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
    fields: bodyFieldsOf(document, operation).map(({ schema: _schema, ...field }) => field),
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

/** What a template that reads only constants comes to: the address in front of a path. */
function serverOf({ constants }: Context, template: string): string | undefined {
  try {
    const scope = { constants: constants.all() };
    const value = renderTemplate(parseTemplate(template), scope, { now: () => Date.now(), uuid: () => "" });
    return typeof value === "string" ? value : undefined;
  } catch {
    return undefined;
  }
}

/** @throws HttpProblem where the changed operation could not be told from another one */
function requireSound({ api }: OpenApi, before: Operation, target: OperationPlace, raw: JsonObject): void {
  const problem = (field: string, message: string) =>
    new HttpProblem(422, "bad-operation", "This cannot be the operation", message, {
      errors: [{ field, message }],
    });
  if (!target.path.startsWith("/")) throw problem("path", "A path begins with a slash.");
  const others = api.operations.filter((one) => one.id !== before.id);
  if (others.some((one) => one.method === target.method && one.path === target.path))
    throw problem("path", `There is another operation ${target.method} ${target.path}.`);
  const id = raw["operationId"];
  if (others.some((one) => one.id === id))
    throw problem("operationId", `There is another operation "${String(id)}".`);
  if (!isMethod(target.method)) throw problem("method", `"${target.method}" is not a method of HTTP.`);
}

/** A key as a person would type it: a secret for which a placeholder stood is still to come. */
function given(secret: FoundSecret) {
  switch (secret.kind) {
    case "bearer":
      return { kind: secret.kind, ...(secret.token === "" ? {} : { token: secret.token }) };
    case "api-key":
      return {
        kind: secret.kind,
        parts: secret.parts.map(({ secret: key, ...part }) => (key === "" ? part : { ...part, secret: key })),
      };
    default: {
      const { kind, user, password } = secret;
      return { kind, user, ...(password === "" ? {} : { password }) };
    }
  }
}

/** Keeps a key that stood in a sample as a credential, bound to the sample's host. */
async function keepKey(
  { credentials, activity }: Context,
  name: string,
  { secret, server }: UnderstoodRequest,
  by: Principal,
): Promise<void> {
  if (!secret)
    throw new HttpProblem(
      422,
      "no-key",
      "No key found",
      "The pasted request has no key that could be saved.",
    );
  if (credentials.get(name))
    throw new HttpProblem(
      409,
      "name-taken",
      "The name is taken",
      `There is already a credential "${name}". Use another name, or leave it out.`,
    );
  const input = { ...given(secret), hosts: [new URL(server).host], endsOn: null, mayUse: [], mayChange: [] };
  const read = readCredentialInput(input, undefined);
  await credentials.put(name, read.credential, read.settings);
  await activity.note({ by, action: "added", kind: "credential", name });
}
