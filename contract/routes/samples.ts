import { route } from "../route.js";
import { apiDetail } from "./apis.js";
import { json, jsonObject } from "./common.js";
import { operation } from "./operations.js";
import { z } from "zod";

export const sampleName = z.string().min(1).max(80);

export const sample = z
  .object({
    name: sampleName,
    at: z.string(),
    by: z.string(),
    given: jsonObject.meta({ description: "What was sent." }),
    status: z.number(),
    headers: jsonObject,
    body: json,
  })
  .meta({ id: "Sample" });

export type Sample = z.output<typeof sample>;

export const samplesRoutes = {
  listSamples: route({
    method: "GET",
    path: "/api/apis/{name}/operations/{id}/samples",
    summary: "List the samples of an operation",
    params: operation,
    output: z.object({ samples: z.array(sample) }),
    status: 200,
    needs: "token",
  }),
  saveSample: route({
    method: "PUT",
    path: "/api/apis/{name}/operations/{id}/samples/{sample}",
    summary: "Save a response as a sample, and its schema in the document",
    params: operation.extend({ sample: sampleName }),
    body: z
      .strictObject({
        try: z.number().int().optional().meta({ description: "The try whose response it is." }),
        call: z.strictObject({ run: z.string(), path: z.string() }).optional().meta({
          description: "Instead of a try: the call of a run whose last response it is, secrets masked.",
        }),
        shape: z.enum(["open", "replace", "leave"]).default("open").meta({
          description:
            "Whether the schema of all samples goes into the document: if it has none yet or one from samples (open), always (replace), never (leave).",
        }),
      })
      .refine(({ try: number, call }) => (number === undefined) !== (call === undefined), {
        error: "wants either try or call",
      }),
    output: z.object({
      sample,
      shaped: z.boolean().meta({ description: "Whether the document has its schema now." }),
      api: apiDetail,
    }),
    status: 200,
    needs: "token",
  }),
  removeSample: route({
    method: "DELETE",
    path: "/api/apis/{name}/operations/{id}/samples/{sample}",
    summary: "Remove a sample",
    params: operation.extend({ sample: sampleName }),
    output: z.undefined(),
    status: 204,
    needs: "token",
  }),
} as const;
