import { z } from "zod";
import {
  apiChange,
  apiDetail,
  apiSummary,
  documentInput,
  operationDetail,
  operationSummary,
} from "./api-schemas.js";
import { route } from "./route.js";
import { jsonObject, name } from "./schemas.js";

const named = z.object({ name });
const reading = z.object({
  title: z.string(),
  written: z.string().meta({ description: "What it was written in, such as Swagger 2.0." }),
  operations: z.number(),
  servers: z.array(z.string()),
  notes: z.array(z.string()),
  changes: z.array(apiChange).meta({ description: "What is different from the revision that is kept." }),
});

export const apiRoutes = {
  listApis: route({
    method: "GET",
    path: "/api/apis",
    summary: "All described APIs",
    output: z.object({ apis: z.array(apiSummary) }),
    status: 200,
  }),
  api: route({
    method: "GET",
    path: "/api/apis/{name}",
    summary: "One API: its servers, its notes, its revisions",
    params: named,
    output: apiDetail,
    status: 200,
  }),
  previewApi: route({
    method: "POST",
    path: "/api/apis/{name}/preview",
    summary: "Read a document without keeping it: what it holds, and what would change",
    params: named,
    body: documentInput,
    output: reading,
    status: 200,
  }),
  putApi: route({
    method: "PUT",
    path: "/api/apis/{name}",
    summary: "Keep a document as the next revision of an API",
    params: named,
    body: documentInput.extend({ base: z.int().optional() }),
    output: reading.extend({ api: apiDetail }),
    status: 200,
  }),
  removeApi: route({
    method: "DELETE",
    path: "/api/apis/{name}",
    summary: "Remove an API; runs keep the revisions that they use",
    params: named,
    output: z.undefined(),
    status: 204,
  }),
  apiDocument: route({
    method: "GET",
    path: "/api/apis/{name}/document",
    summary: "The document of an API, as OpenAPI 3.1",
    params: named,
    query: z.object({ revision: z.coerce.number().int().min(1).optional() }),
    output: jsonObject,
    status: 200,
  }),
  listOperations: route({
    method: "GET",
    path: "/api/apis/{name}/operations",
    summary: "The operations of an API, all or those that a search finds",
    params: named,
    query: z.object({ search: z.string().optional() }),
    output: z.object({ operations: z.array(operationSummary) }),
    status: 200,
  }),
  operation: route({
    method: "GET",
    path: "/api/apis/{name}/operations/{id}",
    summary: "One operation: its parameters, its body, its answers",
    params: named.extend({ id: z.string().min(1) }),
    output: operationDetail,
    status: 200,
  }),
} as const;
