import { z } from "zod";
import { apiDetail, operationDetail } from "./api-schemas.js";
import { route } from "./route.js";
import { json, jsonObject, name } from "./schemas.js";

const operation = z.object({ name, id: z.string().min(1) });
const sampleName = z.string().min(1).max(80);

export const sample = z
  .object({
    name: sampleName,
    at: z.string(),
    by: z.string(),
    given: jsonObject.meta({ description: "What was sent, as a try takes it." }),
    status: z.number(),
    headers: jsonObject,
    body: json,
  })
  .meta({ id: "Sample" });
export type Sample = z.output<typeof sample>;

export const drift = z
  .object({
    operation: z.string().meta({ description: "As in a file: stays.searchGuests" }),
    status: z.number(),
    path: z.string().meta({ description: "The place in the body; list indexes left out." }),
    what: z.enum(["new-field", "missing-field", "other-kind", "null"]),
    detail: z.string(),
    firstAt: z.string(),
    lastAt: z.string(),
    count: z.number(),
    run: z.string().nullable().meta({ description: "The run in which it was seen first; null for a try." }),
  })
  .meta({ id: "Drift" });
export type Drift = z.output<typeof drift>;

export const sampleRoutes = {
  listSamples: route({
    method: "GET",
    path: "/api/apis/{name}/operations/{id}/samples",
    summary: "The samples of an operation",
    params: operation,
    output: z.object({ samples: z.array(sample) }),
    status: 200,
  }),
  keepSample: route({
    method: "PUT",
    path: "/api/apis/{name}/operations/{id}/samples/{sample}",
    summary: "Keep the answer of a try as a sample, and its shape in the document",
    params: operation.extend({ sample: sampleName }),
    body: z.strictObject({
      try: z.number().int(),
      shape: z.enum(["open", "replace", "leave"]).default("open").meta({
        description:
          "Whether the shape of all samples goes into the document: where it says nothing yet, or only what samples gave (open); over what it says (replace); never (leave).",
      }),
    }),
    output: z.object({
      sample,
      shaped: z.boolean().meta({ description: "Whether the document has its shape now." }),
      api: apiDetail,
    }),
    status: 200,
  }),
  removeSample: route({
    method: "DELETE",
    path: "/api/apis/{name}/operations/{id}/samples/{sample}",
    summary: "Remove a sample",
    params: operation.extend({ sample: sampleName }),
    output: z.undefined(),
    status: 204,
  }),
  listDrift: route({
    method: "GET",
    path: "/api/drift",
    summary: "Where real answers depart from the shapes in the documents, the newest first",
    query: z.object({ api: z.string().optional() }),
    output: z.object({ drift: z.array(drift) }),
    status: 200,
  }),
  forgetDrift: route({
    method: "POST",
    path: "/api/apis/{name}/drift/forget",
    summary: "Forget the drift that was seen, of an API or of one operation",
    params: z.object({ name }),
    body: z.strictObject({ operation: z.string().optional() }),
    output: z.object({ forgotten: z.number() }),
    status: 200,
  }),
  operationSource: route({
    method: "GET",
    path: "/api/apis/{name}/operations/{id}/source",
    summary: "An operation as it stands in the document",
    params: operation,
    output: z.object({ method: z.string(), path: z.string(), operation: jsonObject, revision: z.number() }),
    status: 200,
  }),
  putOperation: route({
    method: "PUT",
    path: "/api/apis/{name}/operations/{id}/source",
    summary: "Change an operation; the API gets a new revision",
    params: operation,
    body: z.strictObject({
      method: z.string().optional(),
      path: z.string().optional(),
      operation: jsonObject.meta({ description: "An OpenAPI 3.1 operation object." }),
      base: z.int().optional(),
    }),
    output: z.object({ operation: operationDetail, api: apiDetail }),
    status: 200,
  }),
  removeOperation: route({
    method: "DELETE",
    path: "/api/apis/{name}/operations/{id}",
    summary: "Take an operation out of the document",
    params: operation,
    output: z.undefined(),
    status: 204,
  }),
  adoptStep: route({
    method: "POST",
    path: "/api/workflows/{name}/adopt",
    summary: "Turn an inline call of a draft into an operation of an API, and call that instead",
    params: z.object({ name }),
    body: z.strictObject({
      step: z.string(),
      api: name,
      id: z.string().optional(),
      base: z.int().optional(),
    }),
    output: z.object({
      operation: z.string(),
      notes: z.array(z.string()),
      text: z.string(),
      api: apiDetail,
    }),
    status: 200,
  }),
} as const;
