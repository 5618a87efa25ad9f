import { route } from "../route.js";
import { name } from "./common.js";
import { z } from "zod";

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
    run: z
      .string()
      .nullable()
      .meta({ description: "The run in which the difference was seen first; null for a call sent by hand." }),
  })
  .meta({ id: "Drift" });

export type Drift = z.output<typeof drift>;

export const driftRoutes = {
  listDrift: route({
    method: "GET",
    path: "/api/drift",
    summary: "Where real responses do not match the schemas of the documents, the newest first",
    query: z.object({ api: z.string().optional() }),
    output: z.object({ drift: z.array(drift) }),
    status: 200,
    needs: "token",
  }),
  forgetDrift: route({
    method: "POST",
    path: "/api/apis/{name}/drift/forget",
    summary: "Clear the drift of an API or of one operation",
    params: z.object({ name }),
    body: z.strictObject({ operation: z.string().optional() }),
    output: z.object({ forgotten: z.number() }),
    status: 200,
    needs: "token",
  }),
} as const;
