import { bounds } from "@copper-kettle/core";
import { route } from "../route.js";
import { jsonObject, named } from "./common.js";
import { z } from "zod";

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

/** A way to authenticate that a document names, as the kind of credential that does it. */
const securityScheme = z.object({
  name: z.string(),
  kind: z
    .enum(["api-key", "basic", "bearer", "digest", "oauth2", "mutual-tls"])
    .nullable()
    .meta({ description: "The kind of credential; null for what is not supported." }),
  says: z.string(),
  place: z
    .object({ place: z.enum(["header", "query", "cookie"]), name: z.string(), prefix: z.string() })
    .nullable(),
  oauth: z
    .object({
      grant: z.string(),
      tokenUrl: z.string().nullable(),
      authorizationUrl: z.string().nullable(),
      scopes: z.array(z.string()),
    })
    .nullable(),
  about: z.string().nullable(),
});

export type SecuritySchemeView = z.output<typeof securityScheme>;

export const apiDetail = apiSummary
  .extend({
    about: z.string().nullable(),
    servers: z.array(z.string()),
    security: z.array(securityScheme).meta({ description: "How the document says that calls authenticate." }),
    notes: z
      .array(z.string())
      .meta({ description: "What was corrected or left out when the document was read." }),
    drift: z.number().meta({ description: "Places at which responses do not match their schemas." }),
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
    .meta({ description: "The URL to fetch the document from, instead." }),
  server: z
    .url({ protocol: /^https?$/ })
    .optional()
    .meta({ description: "The address that calls go to. Replaces the servers of the document." }),
  credential: z
    .string()
    .optional()
    .meta({ description: "The credential for its calls, if a step names none." }),
  rules: z.boolean().optional().meta({
    description:
      "Whether effects, pages and other rules of a fetched document (x-ckettle-…) are taken. Default: they are left out.",
  }),
});

export const reading = z.object({
  title: z.string(),
  written: z.string().meta({ description: "What it was written in, such as Swagger 2.0." }),
  operations: z.number(),
  servers: z.array(z.string()),
  security: z.array(securityScheme),
  notes: z.array(z.string()),
  leftOut: z.array(z.object({ rule: z.string(), count: z.number() })).meta({
    description: "Rules of a fetched document (x-ckettle-…) that were left out; `rules` takes them.",
  }),
  changes: z.array(apiChange).meta({ description: "What is different from the current revision." }),
});

export const apisRoutes = {
  listApis: route({
    method: "GET",
    path: "/api/apis",
    summary: "List the APIs",
    output: z.object({ apis: z.array(apiSummary) }),
    status: 200,
    needs: "token",
  }),
  api: route({
    method: "GET",
    path: "/api/apis/{name}",
    summary: "Get one API: its servers, notes and revisions",
    params: named,
    output: apiDetail,
    status: 200,
    needs: "token",
  }),
  previewApi: route({
    method: "POST",
    path: "/api/apis/{name}/preview",
    summary: "Read a document without saving it, and show what would change",
    params: named,
    body: documentInput,
    most: bounds.documentBody,
    output: reading,
    status: 200,
    needs: "token",
  }),
  putApi: route({
    method: "PUT",
    path: "/api/apis/{name}",
    summary: "Save a document as the next revision of an API",
    params: named,
    body: documentInput.extend({ base: z.int().optional() }),
    most: bounds.documentBody,
    output: reading.extend({ api: apiDetail }),
    status: 200,
    needs: "token",
  }),
  removeApi: route({
    method: "DELETE",
    path: "/api/apis/{name}",
    summary: "Remove an API; runs still use the revisions that they began with",
    params: named,
    output: z.undefined(),
    status: 204,
    needs: "token",
  }),
  apiDocument: route({
    method: "GET",
    path: "/api/apis/{name}/document",
    summary: "Get the document of an API, as OpenAPI 3.1",
    params: named,
    query: z.object({ revision: z.coerce.number().int().min(1).optional() }),
    output: jsonObject,
    status: 200,
    needs: "token",
  }),
} as const;
