import { route } from "../route.js";
import { z } from "zod";

export const rateLimitsRoutes = {
  rateLimits: route({
    method: "GET",
    path: "/api/rate-limits",
    summary: "List rate limits, by API and credential",
    output: z.object({
      rateLimits: z.array(
        z.object({
          api: z.string().nullable(),
          target: z.string(),
          credential: z.string().nullable(),
          calls: z.number().nullable(),
          per: z.number().nullable().meta({ description: "Milliseconds." }),
          parallel: z.number().nullable(),
          under: z.number().meta({ description: "Calls in flight." }),
          waiting: z.number(),
          pausedUntil: z.string().nullable(),
        }),
      ),
    }),
    status: 200,
    needs: "token",
  }),
} as const;
