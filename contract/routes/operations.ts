import { route } from "../route.js";
import { apiDetail } from "./apis.js";
import { json, jsonObject, name, named } from "./common.js";
import { z } from "zod";

export const content = z.array(
  z.object({ type: z.string(), schema: jsonObject.optional(), example: json.optional() }),
);

const added = {
  rule: z
    .object({ holds: z.string(), otherwise: z.string() })
    .optional()
    .meta({ description: "x-ckettle-rule: must hold of its value before it is sent." }),
  choicesFrom: z
    .object({
      operation: z.string(),
      parameters: jsonObject,
      items: z.string().optional(),
      value: z.string(),
      label: z.string(),
    })
    .optional()
    .meta({ description: "x-ckettle-choices-from: another operation gives its choices." }),
};

export const parameter = z
  .object({
    name: z.string(),
    in: z.string(),
    title: z.string(),
    about: z.string().optional(),
    required: z.boolean(),
    schema: jsonObject,
    style: z.string(),
    explode: z.boolean(),
    default: json.optional(),
    choices: z.array(json).optional(),
    example: json.optional(),
    fixed: json.optional(),
    ...added,
  })
  .meta({ id: "Parameter" });

export const bodyField = z
  .object({
    name: z.string(),
    path: z.array(z.string()),
    title: z.string(),
    about: z.string().optional(),
    required: z.boolean(),
    default: json.optional(),
    choices: z.array(json).optional(),
    example: json.optional(),
    fixed: json.optional(),
    ...added,
  })
  .meta({ id: "BodyField" });

export const operationSummary = z
  .object({
    id: z.string(),
    method: z.string(),
    path: z.string(),
    title: z.string(),
    effect: z.enum(["reads", "writes", "repeatable"]),
    deprecated: z.boolean(),
  })
  .meta({ id: "OperationSummary" });

export type OperationSummary = z.output<typeof operationSummary>;

export const operationDetail = operationSummary
  .extend({
    server: z
      .string()
      .optional()
      .meta({ description: "The address that it goes to, if it is not that of its API." }),
    about: z.string().nullable(),
    docs: z.string().nullable(),
    parameters: z.array(parameter),
    body: z.object({ required: z.boolean(), content }).nullable(),
    responses: z.array(z.object({ status: z.string(), about: z.string(), content })),
    scopes: z.array(z.string()),
    success: z.string().nullable(),
    fields: z.array(bodyField).meta({ description: "Of its body: a step may give them under parameters." }),
    link: z.string().optional().meta({ description: "x-ckettle-link" }),
    readBack: z
      .object({ operation: z.string(), parameters: jsonObject })
      .optional()
      .meta({ description: "x-ckettle-read-back" }),
    idsFrom: z.array(z.string()).optional().meta({ description: "x-ckettle-ids-from" }),
    actsFor: z.enum(["both", "person", "application"]).optional().meta({ description: "x-ckettle-acts-for" }),
    keyPage: z.string().optional().meta({ description: "x-ckettle-key-page" }),
    was: z.array(z.string()).optional().meta({ description: "Ids that it had before." }),
    usedBy: z.array(z.string()).meta({ description: "Workflows that call it." }),
  })
  .meta({ id: "Operation" });

export type OperationDetail = z.output<typeof operationDetail>;

export const operation = z.object({ name, id: z.string().min(1) });

export const operationsRoutes = {
  listOperations: route({
    method: "GET",
    path: "/api/apis/{name}/operations",
    summary: "List the operations of an API, all or those that a search finds",
    params: named,
    query: z.object({ search: z.string().optional() }),
    output: z.object({ operations: z.array(operationSummary) }),
    status: 200,
    needs: "token",
  }),
  operation: route({
    method: "GET",
    path: "/api/apis/{name}/operations/{id}",
    summary: "Get one operation: its parameters, body and responses",
    params: named.extend({ id: z.string().min(1) }),
    output: operationDetail,
    status: 200,
    needs: "token",
  }),
  operationSource: route({
    method: "GET",
    path: "/api/apis/{name}/operations/{id}/source",
    summary: "Get an operation as it is in the document",
    params: operation,
    output: z.object({ method: z.string(), path: z.string(), operation: jsonObject, revision: z.number() }),
    status: 200,
    needs: "token",
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
    needs: "token",
  }),
  renameOperation: route({
    method: "POST",
    path: "/api/apis/{name}/operations/{id}/rename",
    summary:
      "Give an operation another id, also in the drafts that call it; published versions still find it by the old one",
    params: operation,
    body: z.strictObject({
      to: z.string().regex(/^[A-Za-z0-9][A-Za-z0-9_.-]*$/, "letters, digits, _, - and ."),
    }),
    output: z.object({
      operation: operationDetail,
      api: apiDetail,
      changed: z.array(z.string()).meta({ description: "Workflows whose drafts call it by the new id now." }),
      left: z
        .array(z.object({ workflow: z.string(), reason: z.string() }))
        .meta({ description: "Drafts that could not be changed." }),
    }),
    status: 200,
    needs: "token",
  }),
  removeOperation: route({
    method: "DELETE",
    path: "/api/apis/{name}/operations/{id}",
    summary: "Remove an operation from the document; one that workflows call only with anyway",
    params: operation,
    query: z.object({ anyway: z.enum(["true", "false"]).default("false") }),
    output: z.undefined(),
    status: 204,
    needs: "token",
  }),
  addOperation: route({
    method: "POST",
    path: "/api/apis/{name}/operations",
    summary: "Add an operation from a pasted request; creates the API if there is none",
    params: z.object({ name }),
    body: z.strictObject({
      text: z.string(),
      id: z.string().optional(),
      title: z.string().optional(),
      placeholders: z.record(z.string().regex(/^\d+$/), z.string().min(1)).optional().meta({
        description:
          "Names for parts of the path, by their position from 0. Default: the parts that look like ids.",
      }),
      credential: name
        .optional()
        .meta({ description: "Saves the key that was found in the request as a credential with this name." }),
    }),
    output: z.object({
      id: z.string(),
      notes: z.array(z.string()),
      credential: z.string().nullable(),
      api: apiDetail,
    }),
    status: 201,
    needs: "token",
  }),
  adoptStep: route({
    method: "POST",
    path: "/api/workflows/{name}/adopt",
    summary: "Turn a step's own request into an operation of an API, and call that instead",
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
    needs: "token",
  }),
} as const;
