import { route } from "../route.js";
import { json, jsonObject, name } from "./common.js";
import { z } from "zod";

/** A body in one kind. */
export const body = z
  .strictObject({
    json: json.optional(),
    form: jsonObject.optional(),
    multipart: jsonObject
      .optional()
      .meta({ description: "Fields: texts, or { text | base64, name, mediaType } for files." }),
    text: z.string().optional(),
    xml: z.string().optional(),
    file: jsonObject.optional().meta({ description: "Bytes: { base64, mediaType }." }),
  })
  .meta({ description: "In one kind." });

export const understoodRequest = z
  .object({
    form: z.string().meta({ description: "What it was read as: curl, HTTP request, HAR entry, fetch, URL." }),
    method: z.string(),
    server: z.string(),
    path: z.string(),
    variable: z
      .array(z.object({ index: z.number(), value: z.string(), name: z.string() }))
      .meta({ description: "Parts of the path that are probably parameters." }),
    query: jsonObject,
    headers: jsonObject,
    body: z
      .object({ kind: z.string(), text: z.string().optional(), fields: jsonObject.optional() })
      .nullable(),
    secret: z
      .object({ kind: z.string(), shown: z.string() })
      .nullable()
      .meta({ description: "A key that was found in it, masked." }),
    notes: z.array(z.string()),
    effect: z.enum(["reads", "writes", "repeatable"]),
    id: z.string().meta({ description: "The id that an operation made of it would get." }),
  })
  .meta({ id: "UnderstoodRequest" });

export type Understood = z.output<typeof understoodRequest>;

export const tryResult = z
  .object({
    id: z.number().meta({ description: "The number in the history." }),
    status: z.number().nullable().meta({ description: "null where there was no response." }),
    failure: z.object({ kind: z.string(), message: z.string(), detail: z.string().optional() }).nullable(),
    took: z.number().meta({ description: "Milliseconds." }),
    url: z.string().meta({ description: "The address that responded, after redirects." }),
    headers: jsonObject,
    cookies: jsonObject.meta({ description: "The cookies that the response sets." }),
    body: json,
    text: z
      .string()
      .nullable()
      .meta({ description: "The text that the body was read from: of XML and CSV." }),
    size: z.number().nullable().meta({ description: "Bytes of the response's body, unpacked." }),
    redirects: z.array(z.string()),
    sent: z.object({
      method: z.string(),
      url: z.string(),
      headers: z.array(z.tuple([z.string(), z.string()])),
      body: z.string().nullable(),
    }),
    curl: z.string().meta({ description: "The command that does the same; secrets are placeholders." }),
    explanation: z.string().nullable().meta({ description: "What a failed response most likely means." }),
    link: z
      .string()
      .nullable()
      .meta({ description: "Where a person finds the record, by x-ckettle-link of the operation." }),
    drift: z
      .array(z.object({ path: z.string(), what: z.string(), detail: z.string() }))
      .meta({ description: "Where the response does not match the documented schema." }),
  })
  .meta({ id: "TryResult" });

export type TryResult = z.output<typeof tryResult>;

export const tryEntry = z
  .object({
    id: z.number(),
    at: z.string(),
    by: z.string(),
    operation: z.string().nullable(),
    given: jsonObject.meta({ description: "What was sent; secrets masked." }),
    status: z.number().nullable(),
    took: z.number(),
  })
  .meta({ id: "Try" });

export type TryEntry = z.output<typeof tryEntry>;

export const triesRoutes = {
  readPasted: route({
    method: "POST",
    path: "/api/pasted/read",
    summary: "Read a pasted request: curl, raw HTTP, an HTTP archive, fetch, or a URL",
    body: z.strictObject({ text: z.string() }),
    output: understoodRequest,
    status: 200,
    needs: "token",
  }),
  tryOperation: route({
    method: "POST",
    path: "/api/try",
    summary: "Send an operation, a request or a pasted request, and show the response",
    body: z.strictObject({
      operation: z.string().optional().meta({ description: "As in a file: stays.searchGuests" }),
      parameters: jsonObject.optional(),
      method: z.string().optional(),
      url: z.string().optional(),
      headers: jsonObject.optional(),
      body: body.optional(),
      pasted: z
        .string()
        .optional()
        .meta({ description: "A pasted request, sent as it is. A key in it is used, and not stored." }),
      using: z.string().optional(),
    }),
    output: tryResult,
    status: 200,
    needs: "token",
  }),
  listTries: route({
    method: "GET",
    path: "/api/tries",
    summary: "List the calls sent by hand, newest first",
    query: z.object({
      operation: z.string().optional(),
      limit: z.coerce.number().int().min(1).max(100).default(20),
    }),
    output: z.object({ tries: z.array(tryEntry) }),
    status: 200,
    needs: "token",
  }),
  try: route({
    method: "GET",
    path: "/api/tries/{id}",
    summary: "Get one call sent by hand, with its response",
    params: z.object({ id: z.coerce.number().int() }),
    output: tryEntry.extend({ result: tryResult }),
    status: 200,
    needs: "token",
  }),
  choices: route({
    method: "GET",
    path: "/api/apis/{name}/operations/{id}/choices",
    summary: "Call the operation that gives the choices of a parameter or field, and list them",
    params: z.object({ name, id: z.string().min(1) }),
    query: z.object({ of: z.string().min(1).meta({ description: "The name of the parameter or field." }) }),
    output: z.object({ choices: z.array(z.object({ value: json, label: z.string() })) }),
    status: 200,
    needs: "token",
  }),
} as const;
