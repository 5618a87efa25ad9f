import { z } from "zod";
import { route } from "./route.js";
import { json, jsonObject, name, run, runState, workflowDetail } from "./schemas.js";

const named = z.object({ name });
const runId = z.object({ id: z.string().min(1) });
const stepName = z.string().regex(/^[A-Za-z_][A-Za-z0-9_]*$/, "the name of a step");

/** How a run by hand departs from a plain one. */
export const runOptions = z
  .strictObject({
    rehearsal: z.boolean().optional().meta({
      description: "Reading calls are sent; all others are held back, shown, and answered from samples.",
    }),
    held: jsonObject.optional().meta({ description: "Outcomes that stand for steps, by name." }),
    heldFrom: z
      .string()
      .optional()
      .meta({ description: "The run whose outcomes stand for the steps before; `held` counts over them." }),
    only: z
      .strictObject({ step: stepName, item: z.int().min(0).optional() })
      .optional()
      .meta({ description: "Only this step is run; in a loop, for one item." }),
    to: stepName.optional().meta({ description: "The run ends after this step." }),
    breakpoints: z
      .array(z.string())
      .max(100)
      .optional()
      .meta({ description: "Steps, by name or by path, before which the run stops for a look." }),
    faults: z
      .array(
        z.strictObject({
          step: stepName,
          times: z.int().min(1).max(1_000).default(1),
          status: z.int().min(100).max(599).optional(),
          headers: z.record(z.string(), z.string()).optional(),
          body: json.optional(),
          failure: z.enum(["connect", "tls", "dns", "timeout", "cut"]).optional(),
        }),
      )
      .max(100)
      .optional()
      .meta({ description: "Faults that are put on steps, in place of sending their calls." }),
  })
  .meta({ id: "RunOptions" });
export type RunOptionsInput = z.input<typeof runOptions>;

const comparedStep = z.object({
  path: z.string(),
  first: z.string().optional(),
  second: z.string().optional(),
  took: z
    .tuple([z.number().nullable(), z.number().nullable()])
    .meta({ description: "Milliseconds; null where it did not run to an end." }),
  attempts: z.tuple([z.number(), z.number()]),
  differences: z.array(z.object({ place: z.string(), first: json.optional(), second: json.optional() })),
});
export type ComparedStep = z.output<typeof comparedStep>;

const version = z.object({
  version: z.number(),
  publishedAt: z.string(),
  publishedBy: z.string(),
  current: z.boolean(),
});

/** Routes of runs by hand, of versions, and of what runs share. */
export const engineRoutes = {
  runAgain: route({
    method: "POST",
    path: "/api/runs/{id}/again",
    summary: "Start a new run with the inputs of this one, or with others; whole, or from a step on",
    params: runId,
    body: z.strictObject({
      inputs: jsonObject.optional(),
      version: z
        .enum(["then", "now", "draft"])
        .default("then")
        .meta({ description: "The version that this run had, the published one, or the draft." }),
      from: stepName
        .optional()
        .meta({ description: "Outcomes of the steps before this one are kept, and not done again." }),
      failedItems: stepName.optional().meta({ description: "A loop: only its failed items are done again." }),
      newKeys: z.boolean().default(false).meta({
        description: "Whether idempotency keys and ids are new; else they are those of the first run.",
      }),
      options: runOptions.optional(),
    }),
    output: run,
    status: 202,
  }),
  continueRun: route({
    method: "POST",
    path: "/api/runs/{id}/continue",
    summary: "Go on from a breakpoint, with values that were changed there",
    params: runId,
    body: z.strictObject({
      set: z
        .record(z.string(), json)
        .default({})
        .meta({ description: "Values by their place, such as steps.guest.body.id or variables.total." }),
    }),
    output: run,
    status: 202,
  }),
  releaseRun: route({
    method: "POST",
    path: "/api/runs/{id}/release",
    summary: "Let a held run go on",
    params: runId,
    output: run,
    status: 202,
  }),
  compareRuns: route({
    method: "GET",
    path: "/api/runs/{id}/compare",
    summary: "Two runs, step by step: what differed in values, path taken and time",
    params: runId,
    query: z.object({ with: z.string() }),
    output: z.object({ first: run, second: run, steps: z.array(comparedStep) }),
    status: 200,
  }),
  versions: route({
    method: "GET",
    path: "/api/workflows/{name}/versions",
    summary: "The versions that were published, the newest first",
    params: named,
    output: z.object({ versions: z.array(version) }),
    status: 200,
  }),
  diffVersions: route({
    method: "GET",
    path: "/api/workflows/{name}/diff",
    summary: "What changed from one version to another, as a unified diff; 0 stands for the draft",
    params: named,
    query: z.object({ from: z.coerce.number().int().min(0), to: z.coerce.number().int().min(0).default(0) }),
    output: z.object({ diff: z.string() }),
    status: 200,
  }),
  rollBack: route({
    method: "POST",
    path: "/api/workflows/{name}/roll-back",
    summary: "Make the text of an older version the draft, and publish it",
    params: named,
    body: z.strictObject({ version: z.int().min(1) }),
    output: workflowDetail,
    status: 200,
  }),
  kept: route({
    method: "GET",
    path: "/api/workflows/{name}/kept",
    summary: "The values that a workflow keeps from run to run",
    params: named,
    output: z.object({
      kept: z.array(
        z.object({
          key: z.string(),
          values: jsonObject,
          expires: z.string().nullable(),
          changedAt: z.string(),
        }),
      ),
    }),
    status: 200,
  }),
  forgetKept: route({
    method: "DELETE",
    path: "/api/workflows/{name}/kept",
    summary: "Forget one key of a workflow",
    params: named,
    query: z.object({ key: z.string() }),
    output: z.undefined(),
    status: 204,
  }),
  locks: route({
    method: "GET",
    path: "/api/locks",
    summary: "Names that steps hold, and the runs that wait for them",
    output: z.object({
      locks: z.array(
        z.object({
          name: z.string(),
          run: z.string(),
          path: z.string(),
          state: runState,
          waiting: z.array(z.string()),
        }),
      ),
    }),
    status: 200,
  }),
  paces: route({
    method: "GET",
    path: "/api/paces",
    summary: "How fast calls go, by API and credential",
    output: z.object({
      paces: z.array(
        z.object({
          api: z.string().nullable(),
          target: z.string(),
          credential: z.string().nullable(),
          calls: z.number().nullable(),
          per: z.number().nullable().meta({ description: "Milliseconds." }),
          atOnce: z.number().nullable(),
          under: z.number().meta({ description: "Calls under way." }),
          waiting: z.number(),
          pausedUntil: z.string().nullable(),
        }),
      ),
    }),
    status: 200,
  }),
  pause: route({
    method: "PUT",
    path: "/api/pause",
    summary: "Begin no more runs, or go on; what is under way comes to its end",
    body: z.strictObject({ paused: z.boolean() }),
    output: z.object({ paused: z.boolean() }),
    status: 200,
    needs: "owner",
  }),
} as const;
