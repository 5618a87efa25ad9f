import { z } from "zod";
import { route } from "./route.js";
import { apiRoutes } from "./api-routes.js";
import { engineRoutes, runOptions } from "./engine-routes.js";
import { upkeepRoutes } from "./upkeep-routes.js";
import { activityRoutes, credentialRoutes, tokenRoutes } from "./credential-routes.js";
import { credentialAttention } from "./credential-schemas.js";
import { drift, sampleRoutes } from "./sample-routes.js";
import { tryRoutes } from "./try-routes.js";
import {
  journalEntry,
  json,
  jsonObject,
  name,
  problem,
  run,
  runDetail,
  runState,
  workflowDetail,
  workflowSummary,
} from "./schemas.js";

const named = z.object({ name });
const runId = z.object({ id: z.string().min(1) });
const nothing = z.undefined();
const count = (most: number, usual: number) => z.coerce.number().int().min(1).max(most).default(usual);

const trouble = z
  .object({ at: z.string(), message: z.string() })
  .nullable()
  .meta({ description: "Why runs cannot go on, such as a disk that is full." });

/** Every route of the service, by name. */
export const routes = {
  openSession: route({
    method: "POST",
    path: "/api/session",
    summary: "Exchange the code of a sign-in link for a session cookie",
    body: z.strictObject({ code: z.string() }),
    output: nothing,
    status: 204,
    needs: "nothing",
  }),
  session: route({
    method: "GET",
    path: "/api/session",
    summary: "Who is signed in",
    output: z.object({ as: z.string() }),
    status: 200,
  }),
  closeSession: route({
    method: "DELETE",
    path: "/api/session",
    summary: "Sign out",
    output: nothing,
    status: 204,
  }),
  signInLink: route({
    method: "POST",
    path: "/api/session/links",
    summary: "Make a one-time sign-in link to the console, good for ten minutes",
    output: z.object({ url: z.string(), expiresAt: z.string() }),
    status: 201,
  }),

  status: route({
    method: "GET",
    path: "/api/status",
    summary: "The service: its version, what is running, what waits",
    output: z.object({
      version: z.string(),
      startedAt: z.string(),
      dataFolder: z.string(),
      workflows: z.number(),
      runs: z.record(z.string(), z.number()),
      paused: z.boolean(),
      trouble,
    }),
    status: 200,
  }),
  home: route({
    method: "GET",
    path: "/api/home",
    summary: "What needs a person, what is running, and runs over time",
    output: z.object({
      attention: z.array(run),
      credentials: z
        .array(credentialAttention)
        .meta({ description: "Credentials that fail, want a sign-in, or end soon." }),
      drift: z
        .array(drift)
        .meta({ description: "Where answers depart from their shapes, the newest first." }),
      running: z.array(run),
      next: z.array(run),
      hours: z.array(
        z.object({ hour: z.string(), succeeded: z.number(), failed: z.number(), other: z.number() }),
      ),
      paused: z.boolean().meta({ description: "Whether all runs are paused." }),
      trouble,
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
  }),

  check: route({
    method: "POST",
    path: "/api/check",
    summary: "Check a workflow file without keeping it",
    body: z.strictObject({ text: z.string() }),
    output: z.object({
      name: z.string().nullable(),
      problems: z.array(problem),
      outline: runDetail.shape.steps,
    }),
    status: 200,
  }),
  workflowSchema: route({
    method: "GET",
    path: "/api/schema/workflow",
    summary: "The JSON Schema of the workflow file",
    output: jsonObject,
    status: 200,
  }),
  listWorkflows: route({
    method: "GET",
    path: "/api/workflows",
    summary: "All workflows",
    output: z.object({ workflows: z.array(workflowSummary) }),
    status: 200,
  }),
  workflow: route({
    method: "GET",
    path: "/api/workflows/{name}",
    summary: "One workflow with its file",
    params: named,
    query: z.object({ version: z.coerce.number().int().min(1).optional() }),
    output: workflowDetail,
    status: 200,
  }),
  pushWorkflow: route({
    method: "PUT",
    path: "/api/workflows/{name}",
    summary: "Keep a workflow's file as its draft, also while it has problems",
    params: named,
    body: z.strictObject({
      text: z.string(),
      base: z
        .number()
        .int()
        .optional()
        .meta({ description: "The revision that was edited; another one since is a conflict." }),
    }),
    output: workflowDetail,
    status: 200,
  }),
  publishWorkflow: route({
    method: "POST",
    path: "/api/workflows/{name}/publish",
    summary: "Make the draft the version that runs",
    params: named,
    output: workflowDetail,
    status: 200,
  }),
  removeWorkflow: route({
    method: "DELETE",
    path: "/api/workflows/{name}",
    summary: "Remove a workflow; its runs are kept",
    params: named,
    output: nothing,
    status: 204,
  }),
  startRun: route({
    method: "POST",
    path: "/api/workflows/{name}/runs",
    summary: "Start a run; the header Idempotency-Key makes repeated starts one run",
    params: named,
    query: z.object({
      wait: z
        .string()
        .optional()
        .meta({ description: "How long to wait for the run's response, such as 30s." }),
    }),
    body: z.strictObject({
      inputs: jsonObject.default({}),
      draft: z.boolean().default(false),
      options: runOptions.optional(),
    }),
    output: run,
    status: 202,
  }),

  listRuns: route({
    method: "GET",
    path: "/api/runs",
    summary: "Runs, newest first",
    query: z.object({
      workflow: z.string().optional(),
      state: z.string().optional().meta({ description: "One or more states, with commas between." }),
      text: z.string().optional(),
      before: z.string().optional().meta({ description: "The id of the last run of the page before." }),
      limit: count(200, 50),
    }),
    output: z.object({ runs: z.array(run), more: z.boolean() }),
    status: 200,
  }),
  run: route({
    method: "GET",
    path: "/api/runs/{id}",
    summary: "One run",
    params: runId,
    output: runDetail,
    status: 200,
  }),
  runScope: route({
    method: "GET",
    path: "/api/runs/{id}/scope",
    summary: "The values that expressions see after the run, secrets masked",
    params: z.object({ id: z.string() }),
    output: jsonObject,
    status: 200,
  }),
  journal: route({
    method: "GET",
    path: "/api/runs/{id}/journal",
    summary: "What happened in a run, in order; secrets are masked",
    params: runId,
    query: z.object({ after: z.coerce.number().int().min(-1).default(-1), limit: count(1_000, 200) }),
    output: z.object({ entries: z.array(journalEntry), more: z.boolean() }),
    status: 200,
  }),
  runEvents: route({
    method: "GET",
    path: "/api/runs/{id}/events",
    summary: "What happens in a run, live, from an entry on",
    params: runId,
    query: z.object({ after: z.coerce.number().int().min(-1).default(-1) }),
    output: journalEntry,
    status: 200,
    events: true,
  }),
  events: route({
    method: "GET",
    path: "/api/events",
    summary: "Changes of all runs, live",
    output: z.object({ id: z.string(), workflow: z.string(), state: runState }),
    status: 200,
    events: true,
  }),
  stopRun: route({
    method: "POST",
    path: "/api/runs/{id}/stop",
    summary: "Stop a run: after its step, or now",
    params: runId,
    body: z.strictObject({ how: z.enum(["after-step", "now"]).default("after-step") }),
    output: run,
    status: 202,
  }),
  decideRun: route({
    method: "POST",
    path: "/api/runs/{id}/decide",
    summary: "Say what is true of a call whose fate is unknown",
    params: runId,
    body: z.strictObject({
      decision: z.enum(["happened", "again", "skip", "stop"]),
      path: z
        .string()
        .optional()
        .meta({ description: "The step; may be left out while only one is unsure." }),
      attempt: z.int().min(1).meta({
        description: "The attempt that is decided about, as the run shows it; another one is refused.",
      }),
      outcome: json
        .optional()
        .meta({ description: "With happened: what the far side answered, as { status, headers, body }." }),
    }),
    output: run,
    status: 202,
  }),

  ...engineRoutes,
  ...upkeepRoutes,
  ...apiRoutes,
  ...tryRoutes,
  ...sampleRoutes,
  ...credentialRoutes,
  ...activityRoutes,
  ...tokenRoutes,
  rotateKey: route({
    method: "POST",
    path: "/api/sealing-key/rotate",
    summary: "Make a new sealing key, and wrap the data keys anew; what is sealed stays as it is",
    output: z.object({ dataKeys: z.number() }),
    status: 200,
    needs: "owner",
  }),
  constants: route({
    method: "GET",
    path: "/api/constants",
    summary: "Named values that are no secrets, usable in every workflow",
    output: z.object({ constants: jsonObject }),
    status: 200,
  }),
  putConstant: route({
    method: "PUT",
    path: "/api/constants/{name}",
    summary: "Set a constant",
    params: z.object({ name: z.string().regex(/^[A-Za-z_][A-Za-z0-9_]{0,63}$/, "letters, digits and _") }),
    body: z.strictObject({ value: json }),
    output: z.object({ constants: jsonObject }),
    status: 200,
  }),
  removeConstant: route({
    method: "DELETE",
    path: "/api/constants/{name}",
    summary: "Remove a constant",
    params: z.object({ name: z.string() }),
    output: nothing,
    status: 204,
  }),
} as const;

export type Routes = typeof routes;
