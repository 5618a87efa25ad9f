import { route } from "../route.js";
import { credentialState } from "./credentials.js";
import { drift } from "./drift.js";
import { run } from "./runs.js";
import { trouble, undelivered } from "./status.js";
import { z } from "zod";

export const credentialAttention = z
  .object({ name: z.string(), state: credentialState, sentence: z.string(), waiting: z.number() })
  .meta({ id: "CredentialAttention" });

export const homeRoutes = {
  home: route({
    method: "GET",
    path: "/api/home",
    summary: "Get what Home shows: what needs a person, what is running, and runs over time",
    output: z.object({
      attention: z.array(run),
      credentials: z
        .array(credentialAttention)
        .meta({ description: "Credentials that fail, need a sign-in, or expire soon." }),
      drift: z
        .array(drift)
        .meta({ description: "Where responses do not match their schemas, the newest first." }),
      running: z.array(run),
      next: z.array(run),
      hours: z.array(
        z.object({ hour: z.string(), succeeded: z.number(), failed: z.number(), other: z.number() }),
      ),
      paused: z.boolean().meta({ description: "Whether all runs are paused." }),
      trouble,
      undelivered,
      firstSteps: z.object({
        apis: z.number(),
        tries: z.number(),
        credentials: z.number(),
        workflows: z.number(),
        published: z.number(),
        runs: z.number(),
      }),
    }),
    status: 200,
    needs: "token",
  }),
} as const;
