import { route } from "../route.js";
import { z } from "zod";

export const trouble = z
  .object({ at: z.string(), message: z.string() })
  .nullable()
  .meta({ description: "Why runs cannot continue, such as a full disk." });

export const undelivered = z
  .string()
  .nullable()
  .meta({ description: "That notifications wait, and why the last one was not delivered, as a sentence." });

export const statusRoutes = {
  status: route({
    method: "GET",
    path: "/api/status",
    summary: "Get the state of the service: its version, what is running, what waits",
    output: z.object({
      version: z.string(),
      startedAt: z.string(),
      dataFolder: z.string(),
      workflows: z.number(),
      runs: z.record(z.string(), z.number()),
      paused: z.boolean(),
      trouble,
      undelivered,
      clock: z
        .string()
        .nullable()
        .meta({ description: "What was done since the machine's clock was set back, as a sentence." }),
    }),
    status: 200,
    needs: "token",
  }),
} as const;
