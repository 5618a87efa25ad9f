import { route } from "../route.js";
import { json, jsonObject } from "./common.js";
import { run, runId, runOptions, stepName } from "./runs.js";
import { z } from "zod";

export const comparedStep = z.object({
  path: z.string(),
  first: z.string().optional(),
  second: z.string().optional(),
  took: z
    .tuple([z.number().nullable(), z.number().nullable()])
    .meta({ description: "Milliseconds; null if the step did not end." }),
  attempts: z.tuple([z.number(), z.number()]),
  differences: z.array(z.object({ place: z.string(), first: json.optional(), second: json.optional() })),
});

export type ComparedStep = z.output<typeof comparedStep>;

export const byHandRoutes = {
  runAgain: route({
    method: "POST",
    path: "/api/runs/{id}/again",
    summary: "Run again, with the same inputs or others, from the top or from a step",
    params: runId,
    body: z.strictObject({
      inputs: jsonObject.optional(),
      version: z
        .enum(["then", "now", "draft"])
        .default("then")
        .meta({ description: "The version that this run had, the published one, or the draft." }),
      from: stepName
        .optional()
        .meta({ description: "The outcomes of the steps before this one are reused." }),
      failedItems: stepName.optional().meta({ description: "A loop: only its failed items are repeated." }),
      newKeys: z.boolean().default(false).meta({
        description: "Whether idempotency keys and ids are new; else they are those of the first run.",
      }),
      options: runOptions.optional(),
    }),
    output: run,
    status: 202,
    needs: "token",
  }),
  compareRuns: route({
    method: "GET",
    path: "/api/runs/{id}/compare",
    summary: "Compare two runs, step by step",
    params: runId,
    query: z.object({ with: z.string() }),
    output: z.object({ first: run, second: run, steps: z.array(comparedStep) }),
    status: 200,
    needs: "token",
  }),
} as const;
