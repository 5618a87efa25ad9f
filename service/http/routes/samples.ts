import { routes, type Sample } from "@copper-kettle/contract";
import {
  contentFor,
  deref,
  isObject,
  type JsonObject,
  mediaTypeOf,
  type Operation,
  parseJson,
  printJson,
  rawOperation,
  saysSomething,
  withOperation,
  principalName,
  printPrincipal,
} from "@copper-kettle/core";
import type { Express } from "express";
import type { OpenApi } from "../../store/apis.js";
import { type SavedSample, shapeOf } from "../../store/samples.js";
import { iso } from "../../times.js";
import type { Context } from "../context.js";
import { callOf, findOperation } from "../found.js";
import { HttpProblem, notFound } from "../problems.js";
import { serve } from "../serve-route.js";
import { apiDetailView } from "./apis.js";

export function serveSamples(app: Express, context: Context): void {
  const { apis, samples } = context;
  serve(app, routes.listSamples, async ({ params: { name, id } }) => {
    findOperation(context, name, id);
    return { samples: (await samples.all(name, id)).map(sampleView) };
  });

  serve(app, routes.saveSample, async ({ params: { name, id, sample }, body, by }) => {
    const { open, operation } = findOperation(context, name, id);
    const kept = {
      ...(body.call
        ? await answeredIn(context, body.call, `${name}.${id}`)
        : await responseOf(context, body.try)),
      name: sample,
      at: Date.now(),
      by: printPrincipal(by),
    };
    await samples.keep(name, id, kept);
    let now = open;
    const shape = shapeOf(await samples.all(name, id), kept.status);
    const shaped =
      shape !== undefined && body.shape !== "leave" && (body.shape === "replace" || isOpen(operation, kept));
    if (shaped) {
      const document = withResponse(open, operation, kept, shape);
      if (printJson(document) !== printJson(open.document))
        now = await apis.put(
          name,
          { document },
          {
            original: printJson(shape),
            written: `the shape of ${id}`,
            source: null,
            by,
          },
        );
    }
    return { sample: sampleView(kept), shaped, api: await apiDetailView(context, now) };
  });

  serve(app, routes.removeSample, async ({ params: { name, id, sample } }) => {
    if (!(await samples.remove(name, id, sample))) throw notFound("sample", sample);
  });
}

type Came = Pick<SavedSample, "given" | "status" | "headers" | "body">;

/** The last response to a call of a run, as a sample keeps it; secrets in it are masked. */
async function answeredIn(
  context: Context,
  { run, path }: { run: string; path: string },
  operation: string,
): Promise<Came> {
  const found = await callOf(context, run, path);
  if (!found || `${found.api}.${found.operation.id}` !== operation)
    throw new HttpProblem(
      422,
      "no-response",
      "There is no response",
      `The run ${run} has no response of ${operation} at ${path}.`,
    );
  const { request, response } = found.call;
  return { ...response, body: response.body ?? null, given: { request } };
}

/** The response of a try, as a sample keeps it. */
async function responseOf({ tries }: Context, id: number | undefined): Promise<Came> {
  const row = id === undefined ? undefined : await tries.find(id);
  if (!row) throw notFound("try", String(id));
  const result = parseJson(row.result) as JsonObject;
  if (row.status === null)
    throw new HttpProblem(
      422,
      "no-response",
      "There is no response",
      "This call has no response that could be saved.",
    );
  return {
    given: parseJson(row.given) as JsonObject,
    status: row.status,
    headers: result["headers"] as JsonObject,
    body: result["body"] ?? null,
  };
}

function sampleView({ at, ...rest }: SavedSample): Sample {
  return { ...rest, at: iso(at), by: principalName(rest.by) };
}

/** Marks a shape in a document that came from samples: a later sample may widen it. */
const inferredMark = "x-ckettle-inferred";

/** Whether the document says nothing of such a response yet, or only what samples gave. */
function isOpen(operation: Operation, { status, headers }: SavedSample): boolean {
  const { type } = mediaTypeOf(headers["content-type"] as string | undefined);
  const own = operation.responses.find((one) => one.status === String(status));
  const schema = own && contentFor(own.content, type)?.schema;
  return !saysSomething(schema) || schema[inferredMark] === true;
}

/** The document with the shape of the responses of one status. */
function withResponse(
  { document }: OpenApi,
  operation: Operation,
  { status, headers }: SavedSample,
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
