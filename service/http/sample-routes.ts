import { routes, type Sample } from "@copper-kettle/contract";
import {
  adoptStep,
  CannotAdopt,
  contentFor,
  deref,
  isObject,
  mediaTypeOf,
  newDocument,
  parseJson,
  printJson,
  parseTemplate,
  rawOperation,
  readApi,
  renderTemplate,
  saysSomething,
  withOperation,
  withoutOperation,
  type JsonObject,
  type Operation,
  type OperationPlace,
} from "@copper-kettle/core";
import type { Express } from "express";
import { TryRow } from "../store/api-models.js";
import type { OpenApi } from "../store/apis.js";
import { shapeOf, type KeptSample } from "../store/samples.js";
import { apiDetailView, operationUsers, operationView } from "./api-routes.js";
import type { Context } from "./context.js";
import { HttpProblem, notFound } from "./problems.js";
import { serve } from "./serve-route.js";
import { driftView, iso } from "./views.js";

/** Samples and shapes of operations, drift, and operations as they are changed by hand or taken from a workflow. */
export function serveSamples(app: Express, context: Context): void {
  const { apis, samples, drift, workflows } = context;

  const find = (name: string, id: string): { open: OpenApi; operation: Operation } => {
    const open = apis.get(name);
    const operation = open?.api.operations.find((one) => one.id === id);
    if (!open || !operation) throw notFound("operation", `${name}.${id}`);
    return { open, operation };
  };

  serve(app, routes.listSamples, async ({ params: { name, id } }) => {
    find(name, id);
    return { samples: (await samples.all(name, id)).map(sampleView) };
  });
  serve(app, routes.keepSample, async ({ params: { name, id, sample }, body, by }) => {
    const { open, operation } = find(name, id);
    const kept = { ...(await answerOf(body.try)), name: sample, at: Date.now(), by };
    await samples.keep(name, id, kept);
    let now = open;
    const shape = shapeOf(await samples.all(name, id), kept.status);
    const shaped =
      shape !== undefined && body.shape !== "leave" && (body.shape === "replace" || isOpen(operation, kept));
    if (shaped) {
      const document = withAnswer(open, operation, kept, shape);
      if (printJson(document) !== printJson(open.document))
        now = await apis.put(name, document, {
          original: printJson(shape),
          written: `the shape of ${id}`,
          source: null,
          by,
        });
    }
    return { sample: sampleView(kept), shaped, api: await apiDetailView(context, now) };
  });
  serve(app, routes.removeSample, async ({ params: { name, id, sample } }) => {
    if (!(await samples.remove(name, id, sample))) throw notFound("sample", sample);
  });

  serve(app, routes.listDrift, async ({ query }) => ({ drift: drift.list(query.api).map(driftView) }));
  serve(app, routes.forgetDrift, async ({ params, body }) => ({
    forgotten: await drift.forget(params.name, body.operation),
  }));

  serve(app, routes.operationSource, async ({ params: { name, id } }) => {
    const { open, operation } = find(name, id);
    const { method, path } = operation;
    return { method, path, operation: rawOperation(open.document, operation) ?? {}, revision: open.revision };
  });
  serve(app, routes.putOperation, async ({ params: { name, id }, body, by }) => {
    const { open, operation } = find(name, id);
    const method = body.method?.toUpperCase() ?? operation.method;
    const path = body.path ?? operation.path;
    const moved = method !== operation.method || path !== operation.path;
    requireSound(open, operation, { method, path }, body.operation);
    const without = moved ? withoutOperation(open.document, operation) : open.document;
    const document = withOperation(without, { method, path }, body.operation);
    const now = await apis.put(name, document, {
      original: printJson(body.operation),
      written: `a change of ${id}`,
      source: null,
      by,
      base: body.base,
    });
    const changed = now.api.operations.find((one) => one.method === method && one.path === path) as Operation;
    const users = await operationUsers(workflows);
    return {
      operation: operationView(now.document, changed, users.get(`${name}.${changed.id}`) ?? []),
      api: await apiDetailView(context, now),
    };
  });
  serve(app, routes.removeOperation, async ({ params: { name, id }, by }) => {
    const { open, operation } = find(name, id);
    await apis.put(name, withoutOperation(open.document, operation), {
      original: "",
      written: `without ${id}`,
      source: null,
      by,
    });
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
        await apis.put(body.api, adopted.document, {
          original: printJson(adopted.document),
          written: `the workflow ${params.name}`,
          source: null,
          by,
        });
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

/** The answer of a try, as a sample keeps it. */
async function answerOf(id: number): Promise<Pick<KeptSample, "given" | "status" | "headers" | "body">> {
  const row = await TryRow.findByPk(id);
  if (!row) throw notFound("try", String(id));
  const result = parseJson(row.result) as JsonObject;
  if (row.status === null)
    throw new HttpProblem(
      422,
      "no-answer",
      "There is no answer",
      "This try brought no answer that could be kept.",
    );
  return {
    given: parseJson(row.given) as JsonObject,
    status: row.status,
    headers: result["headers"] as JsonObject,
    body: result["body"] ?? null,
  };
}

function sampleView({ at, ...rest }: KeptSample): Sample {
  return { ...rest, at: iso(at) };
}

/** Marks a shape in a document that came from samples: a later sample may widen it. */
const inferredMark = "x-ckettle-inferred";

/** Whether the document says nothing of such an answer yet, or only what samples gave. */
function isOpen(operation: Operation, { status, headers }: KeptSample): boolean {
  const { type } = mediaTypeOf(headers["content-type"] as string | undefined);
  const own = operation.responses.find((one) => one.status === String(status));
  const schema = own && contentFor(own.content, type)?.schema;
  return !saysSomething(schema) || schema[inferredMark] === true;
}

/** The document with the shape of the answers of one status. */
function withAnswer(
  { document }: OpenApi,
  operation: Operation,
  { status, headers }: KeptSample,
  schema: JsonObject,
): JsonObject {
  const raw = rawOperation(document, operation) ?? {};
  const responses = isObject(raw["responses"]) ? raw["responses"] : {};
  const before = deref(document, responses[String(status)]);
  const described = isObject(before) ? before : { description: "As its samples show." };
  const content = isObject(described["content"]) ? described["content"] : {};
  const { type } = mediaTypeOf(headers["content-type"] as string | undefined);
  const media = isObject(content[type]) ? content[type] : {};
  const response = {
    ...described,
    content: { ...content, [type || "*/*"]: { ...media, schema: { ...schema, [inferredMark]: true } } },
  };
  return withOperation(document, operation, {
    ...raw,
    responses: { ...responses, [String(status)]: response },
  });
}

/** @throws HttpProblem where the changed operation could not be told from another one */
function requireSound(
  { document, api }: OpenApi,
  before: Operation,
  target: OperationPlace,
  raw: JsonObject,
): void {
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
  const read = readApi(withOperation(document, target, raw)).operations;
  if (!read.some((one) => one.method === target.method && one.path === target.path))
    throw problem("method", `${target.method} is no method of an OpenAPI document.`);
}
