import { route } from "../route.js";
import { json } from "./common.js";
import { z } from "zod";

const ofRun = z.object({ id: z.string() });
const path = z.string().min(1).meta({ description: "The step, as the journal names it: all[3]/put." });

export const readBack = z
  .object({
    operation: z.string(),
    status: z.number().nullable().meta({ description: "null where there was no response." }),
    failure: z.string().nullable(),
    fields: z.array(z.object({ path: z.string(), sent: json, there: json, same: z.boolean() })),
  })
  .meta({ id: "ReadBack" });

export type ReadBack = z.output<typeof readBack>;

export const recordsRoutes = {
  record: route({
    method: "GET",
    path: "/api/runs/{id}/record",
    summary: "Where a person finds the record of a call, and the operation that reads it back",
    params: ofRun,
    query: z.object({ path }),
    output: z.object({
      operation: z
        .string()
        .nullable()
        .meta({ description: "That was called; null where the step has no response of one." }),
      link: z.string().nullable().meta({ description: "By x-ckettle-link of its operation." }),
      readBack: z.string().nullable().meta({ description: "By x-ckettle-read-back of its operation." }),
    }),
    status: 200,
    needs: "token",
  }),
  readBack: route({
    method: "POST",
    path: "/api/runs/{id}/read-back",
    summary: "Read the record of a call back, and compare it with what was sent, field by field",
    params: ofRun,
    body: z.strictObject({ path }),
    output: readBack,
    status: 200,
    needs: "token",
  }),
} as const;
