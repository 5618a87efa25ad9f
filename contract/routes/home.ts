import { route } from "../route.js";
import { named, nothing } from "./common.js";
import { credentialState } from "./credentials.js";
import { drift } from "./drift.js";
import { run } from "./runs.js";
import { trouble, undelivered } from "./status.js";
import { z } from "zod";

export const credentialAttention = z
  .object({ name: z.string(), state: credentialState, sentence: z.string(), waiting: z.number() })
  .meta({ id: "CredentialAttention" });

export const attention = z
  .object({
    run: run.meta({ description: "The newest of them." }),
    count: z.number(),
    since: z.string(),
    lastGood: z
      .string()
      .nullable()
      .meta({ description: "Of failures: when the newest run that succeeded began." }),
  })
  .meta({ id: "Attention" });

export type Attention = z.output<typeof attention>;

export const homeRoutes = {
  putAside: route({
    method: "PUT",
    path: "/api/home/aside/{name}",
    summary: "Put the failures of a workflow aside, up to a run: Home shows only later ones",
    params: named,
    body: z.strictObject({ run: z.string().min(1) }),
    output: nothing,
    status: 204,
    needs: "owner",
  }),
  home: route({
    method: "GET",
    path: "/api/home",
    summary: "Get what Home shows: what needs a person, what is running, and runs over time",
    output: z.object({
      attention: z.array(attention).meta({
        description:
          "Unsure and parked runs; failures of the last 24 hours, one for each workflow and cause, unless a later run succeeded or somebody put them aside. Rehearsals and tests of single steps are left out.",
      }),
      more: z.number().meta({ description: "How many more unsure, parked and failed runs there are." }),
      credentials: z
        .array(credentialAttention)
        .meta({ description: "Credentials that fail, need a sign-in, or expire soon." }),
      drift: z
        .array(drift)
        .meta({ description: "Where responses do not match their schemas, the newest first." }),
      running: z.array(run),
      next: z.array(run).meta({ description: "Runs that wait." }),
      starts: z
        .array(z.object({ workflow: z.string(), trigger: z.string(), at: z.string() }))
        .meta({ description: "The next times of the schedules." }),
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
        runs: z.number().meta({ description: "Counted up to 10,000." }),
      }),
    }),
    status: 200,
    needs: "token",
  }),
} as const;
