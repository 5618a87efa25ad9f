import { z } from "zod";
import { json, jsonObject } from "./schemas.js";

const content = z.array(
  z.object({ type: z.string(), schema: jsonObject.optional(), example: json.optional() }),
);

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
  })
  .meta({ id: "Parameter" });

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
    about: z.string().nullable(),
    docs: z.string().nullable(),
    parameters: z.array(parameter),
    body: z.object({ required: z.boolean(), content }).nullable(),
    responses: z.array(z.object({ status: z.string(), about: z.string(), content })),
    scopes: z.array(z.string()),
    success: z.string().nullable(),
    usedBy: z.array(z.string()).meta({ description: "Workflows that call it." }),
  })
  .meta({ id: "Operation" });
export type OperationDetail = z.output<typeof operationDetail>;

export const apiSummary = z
  .object({
    name: z.string(),
    title: z.string(),
    version: z.string(),
    revision: z.number(),
    server: z.string().nullable(),
    credential: z.string().nullable(),
    operations: z.number(),
    changedAt: z.string(),
    usedBy: z.array(z.string()),
  })
  .meta({ id: "Api" });
export type ApiSummary = z.output<typeof apiSummary>;

export const apiDetail = apiSummary
  .extend({
    about: z.string().nullable(),
    servers: z.array(z.string()),
    notes: z.array(z.string()).meta({ description: "What was put right or left out when it was read." }),
    drift: z.number().meta({ description: "Places at which answers depart from their shapes." }),
    revisions: z.array(
      z.object({
        revision: z.number(),
        at: z.string(),
        by: z.string(),
        written: z.string(),
        source: z.string().nullable(),
      }),
    ),
  })
  .meta({ id: "ApiDetail" });
export type ApiDetail = z.output<typeof apiDetail>;

export const apiChange = z
  .object({
    id: z.string(),
    method: z.string(),
    path: z.string(),
    what: z.enum(["added", "removed", "altered"]),
    details: z.array(z.string()),
    usedBy: z.array(z.string()).meta({ description: "Workflows that this touches." }),
  })
  .meta({ id: "ApiChange" });
export type ApiChange = z.output<typeof apiChange>;

/** A document as it is given: its text, or where it is to be fetched. */
export const documentInput = z.strictObject({
  text: z.string().optional().meta({ description: "OpenAPI 3.0, 3.1, 3.2 or Swagger 2.0; JSON or YAML." }),
  url: z
    .url({ protocol: /^https?$/ })
    .optional()
    .meta({ description: "Where it is fetched from, instead." }),
  server: z
    .url({ protocol: /^https?$/ })
    .optional()
    .meta({ description: "The address that calls go to, over those of the document." }),
  credential: z
    .string()
    .optional()
    .meta({ description: "The credential of its calls, where a step names none." }),
});
