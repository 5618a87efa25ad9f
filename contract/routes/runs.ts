import type { JsonObject } from "@copper-kettle/core";
import { route } from "../route.js";
import { json, jsonObject, named } from "./common.js";
import { z } from "zod";

export const runState = z
  .enum(["queued", "running", "waiting", "succeeded", "failed", "stopped", "unsure", "parked", "skipped"])
  .meta({ id: "RunState" });

export const runError = z
  .object({
    code: z.string(),
    message: z.string(),
    step: z.string().optional(),
    status: z.number().optional(),
    body: json.optional(),
    field: z.string().optional(),
  })
  .meta({ id: "RunError" });

export const run = z
  .object({
    id: z.string(),
    workflow: z.string(),
    version: z.number().meta({ description: "0 for the draft as it was then." }),
    state: runState,
    trigger: z.object({
      kind: z.string(),
      name: z.string().optional().meta({ description: "The trigger of the file, where one brought it." }),
      missed: z
        .number()
        .optional()
        .meta({ description: "Of a schedule: for how many missed beats it stands." }),
      id: z.string(),
      at: z.string(),
      caller: z.object({ run: z.string(), path: z.string(), depth: z.number() }).optional(),
    }),
    startedBy: z
      .string()
      .nullable()
      .meta({ description: "Who started it; null in runs from before that was noted." }),
    createdAt: z.string(),
    startedAt: z.string().nullable(),
    endedAt: z.string().nullable(),
    wakeAt: z.string().nullable(),
    waits: z
      .array(
        z.object({
          path: z.string(),
          kind: z.enum(["credential", "lock", "run", "breakpoint", "rate-limit", "turn"]),
          name: z.string(),
          reason: z.string(),
        }),
      )
      .meta({ description: "What steps of the run wait for, besides a time; at most 20 of them." }),
    rehearsal: z.boolean().meta({ description: "Whether only calls that read are sent." }),
    origin: z
      .string()
      .nullable()
      .meta({ description: "The run whose results it reuses; null if it reuses none." }),
    calls: z.number().meta({ description: "How many requests were sent." }),
    problems: z.number(),
    error: runError.nullable(),
    message: z.string().nullable(),
    unsure: z.array(z.object({ path: z.string(), reason: z.string(), attempt: z.number() })).meta({
      description: "Steps whose call may or may not have been carried out, and which nobody has decided.",
    }),
  })
  .meta({ id: "Run" });

export type Run = z.output<typeof run>;

export const runDetail = run
  .extend({
    inputs: json,
    response: z.object({ status: z.number(), headers: jsonObject, body: json }).nullable(),
    steps: z
      .array(
        z.object({
          name: z.string(),
          kind: z.string(),
          title: z.string().nullable(),
          line: z.number(),
          depth: z.number(),
          calls: z.string().nullable(),
        }),
      )
      .meta({ description: "The outline of the version that runs." }),
    /** The number of the last entry; -1 while there is none. */
    last: z.number(),
    stops: z.array(z.object({ from: z.string(), to: z.string() })).meta({
      description:
        "When the service did not run while this run went on, the last 20 of them. Of a service that was killed, `from` is its last sign of life, up to a minute before.",
    }),
  })
  .meta({ id: "RunDetail" });

export type RunDetail = z.output<typeof runDetail>;

export type OutlineStep = RunDetail["steps"][number];

/** Of an entry only the number is looked at: a run has thousands, and the engine knows what it wrote. */
export const journalEntry = z
  .object({
    seq: z.number(),
    entry: z.any().meta({ type: "object" }) as unknown as z.ZodType<JsonObject>,
  })
  .meta({ id: "JournalEntry" });

export const runId = z.object({ id: z.string().min(1) });

export const stepName = z.string().regex(/^[A-Za-z_][A-Za-z0-9_]*$/, "the name of a step");

/** How a run by hand departs from a plain one. */
export const runOptions = z
  .strictObject({
    rehearsal: z.boolean().optional().meta({
      description: "Calls that read are sent. All others are listed, and get an example response.",
    }),
    fixed: jsonObject
      .optional()
      .meta({ description: "Fixed results of steps, by name. These steps are not run." }),
    fixedFrom: z.string().optional().meta({
      description: "The run whose results are used as fixed results. Those in `fixed` take precedence.",
    }),
    only: z
      .strictObject({ step: stepName, item: z.int().min(0).optional() })
      .optional()
      .meta({ description: "Only this step runs; in a loop, for one item." }),
    to: stepName.optional().meta({ description: "The run ends after this step." }),
    breakpoints: z
      .array(
        z.union([
          z.string(),
          z.strictObject({
            step: stepName,
            item: z
              .int()
              .min(0)
              .optional()
              .meta({ description: "Only for this item of the loop around it." }),
            when: z
              .string()
              .min(1)
              .max(2_000)
              .optional()
              .meta({ description: "Only where this expression is true." }),
          }),
        ]),
      )
      .max(100)
      .optional()
      .meta({ description: "Steps, by name or by path, before which the run pauses." }),
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
      .meta({ description: "Simulated faults of steps, instead of sending their calls." }),
  })
  .meta({ id: "RunOptions" });

export type RunOptionsInput = z.input<typeof runOptions>;

export const count = (most: number, usual: number) => z.coerce.number().int().min(1).max(most).default(usual);

/** A time with its zone (RFC 3339), or a day, which begins at midnight UTC. */
const moment = z.union([z.iso.datetime({ offset: true }), z.iso.date()]);

export const runsRoutes = {
  startRun: route({
    method: "POST",
    path: "/api/workflows/{name}/runs",
    summary: "Start a run; starts with the same Idempotency-Key give one run",
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
    needs: "token",
  }),
  listRuns: route({
    method: "GET",
    path: "/api/runs",
    summary: "List runs, newest first if no other order is given",
    query: z.object({
      workflow: z.string().optional(),
      state: z.string().optional().meta({ description: "One or more states, separated by commas." }),
      text: z.string().optional(),
      event: z.string().optional().meta({ description: "Only those that this event of a trigger started." }),
      before: z.string().optional().meta({ description: "The id of the last run on the previous page." }),
      since: moment.optional().meta({ description: "Only runs that were created at this time or later." }),
      until: moment.optional().meta({ description: "Only runs that were created before this time." }),
      order: z
        .enum(["newest", "oldest", "longest", "most-calls", "most-problems"])
        .default("newest")
        .meta({ description: "`before` goes with the newest first." }),
      skip: z.coerce.number().int().min(0).max(100_000).default(0),
      counted: z
        .enum(["true", "false"])
        .optional()
        .meta({ description: "Whether the runs that fit are counted; beyond 10,000 they are not." }),
      limit: count(200, 50),
    }),
    output: z.object({
      runs: z.array(run),
      more: z.boolean(),
      total: z.number().optional().meta({ description: "How many fit, where they were counted." }),
    }),
    status: 200,
    needs: "token",
  }),
  run: route({
    method: "GET",
    path: "/api/runs/{id}",
    summary: "Get one run",
    params: runId,
    output: runDetail,
    status: 200,
    needs: "token",
  }),
  runScope: route({
    method: "GET",
    path: "/api/runs/{id}/scope",
    summary: "Get the values that expressions see after the run, secrets masked",
    params: z.object({ id: z.string() }),
    query: z.object({
      at: z.string().max(2_000).optional().meta({
        description:
          "Items of loops whose steps are to be seen, too, such as huts[3]/posts[0]; empty for the first of each.",
      }),
    }),
    output: jsonObject,
    status: 200,
    needs: "token",
  }),
  journal: route({
    method: "GET",
    path: "/api/runs/{id}/journal",
    summary: "Get what happened in a run, in order; secrets are masked",
    params: runId,
    query: z.object({ after: z.coerce.number().int().min(-1).default(-1), limit: count(2_000, 200) }),
    output: z.object({ entries: z.array(journalEntry), more: z.boolean() }),
    status: 200,
    needs: "token",
  }),
  runEvents: route({
    method: "GET",
    path: "/api/runs/{id}/events",
    summary: "Follow what happens in a run, from an entry on",
    params: runId,
    query: z.object({ after: z.coerce.number().int().min(-1).default(-1) }),
    output: journalEntry,
    status: 200,
    needs: "token",
    events: true,
  }),
  events: route({
    method: "GET",
    path: "/api/events",
    summary: "Follow the states of all runs (event state), and which runs have new entries (event entries)",
    output: z.object({ id: z.string(), workflow: z.string(), state: runState }),
    status: 200,
    needs: "token",
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
    needs: "token",
  }),
  decideRun: route({
    method: "POST",
    path: "/api/runs/{id}/decide",
    summary: "Decide about a call that may or may not have been carried out",
    params: runId,
    body: z.strictObject({
      decision: z.enum(["happened", "again", "skip", "stop"]),
      path: z.string().optional().meta({ description: "The step. Optional while only one is unsure." }),
      attempt: z.int().min(1).meta({
        description: "The attempt that is decided, as the run shows it. Any other is refused.",
      }),
      outcome: json
        .optional()
        .meta({ description: "With happened: the API's response, as { status, headers, body }." }),
    }),
    output: run,
    status: 202,
    needs: "token",
  }),
  continueRun: route({
    method: "POST",
    path: "/api/runs/{id}/continue",
    summary: "Continue a run that is paused at a breakpoint, with changed values",
    params: runId,
    body: z.strictObject({
      set: z
        .record(z.string(), json)
        .default({})
        .meta({ description: "Values by their path, such as steps.guest.body.id or variables.total." }),
      next: z.enum(["step", "item"]).optional().meta({
        description: "Pause again before the next step, or before the first that is not of the same item.",
      }),
    }),
    output: run,
    status: 202,
    needs: "token",
  }),
  resumeRun: route({
    method: "POST",
    path: "/api/runs/{id}/resume",
    summary: "Resume a parked run",
    params: runId,
    output: run,
    status: 202,
    needs: "token",
  }),
  pause: route({
    method: "PUT",
    path: "/api/pause",
    summary: "Pause or resume all runs; active ones finish",
    body: z.strictObject({ paused: z.boolean() }),
    output: z.object({ paused: z.boolean() }),
    status: 200,
    needs: "owner",
  }),
} as const;
