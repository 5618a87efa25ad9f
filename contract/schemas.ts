import type { Json } from "@copper-kettle/core";
import { z } from "zod";

/** Any JSON value; numbers that a double does not hold keep their digits. */
export const json = z.any().meta({ description: "Any JSON value." }) as unknown as z.ZodType<Json>;
export const jsonObject = z.record(z.string(), json);

export const name = z
  .string()
  .regex(/^[a-z0-9](?:[a-z0-9-]{0,62}[a-z0-9])?$/, "a-z, 0-9 and dashes, at most 64 characters")
  .meta({ description: "a-z, 0-9 and dashes, at most 64 characters" });

export const runState = z
  .enum(["queued", "running", "waiting", "succeeded", "failed", "stopped", "unsure", "held", "skipped"])
  .meta({ id: "RunState" });

export const problem = z
  .object({
    severity: z.enum(["error", "advice"]),
    code: z.string(),
    message: z.string(),
    line: z.number(),
    column: z.number(),
    endLine: z.number(),
    endColumn: z.number(),
    field: z.string(),
  })
  .meta({ id: "Problem", description: "Something in a workflow file that is wrong or worth a look." });

/** RFC 9457, with what this service adds. */
export const problemDetails = z
  .object({
    type: z.string(),
    title: z.string(),
    status: z.number(),
    detail: z.string().optional(),
    /** Where the fault is: a field of the body, a query parameter. */
    errors: z.array(z.object({ field: z.string(), message: z.string() })).optional(),
    problems: z.array(problem).optional(),
    run: z.string().optional(),
  })
  .meta({ id: "ProblemDetails", description: "Problem details (RFC 9457)." });
export type ProblemDetails = z.output<typeof problemDetails>;

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
    version: z.number().meta({ description: "0 stands for the draft of that moment." }),
    state: runState,
    trigger: z.object({
      kind: z.string(),
      id: z.string(),
      at: z.string(),
      caller: z.object({ run: z.string(), path: z.string(), depth: z.number() }).optional(),
    }),
    createdAt: z.string(),
    startedAt: z.string().nullable(),
    endedAt: z.string().nullable(),
    wakeAt: z.string().nullable(),
    waitsFor: z
      .string()
      .nullable()
      .meta({ description: "The credential that a person has to sign in with before the run goes on." }),
    waitsOn: z
      .object({ kind: z.enum(["credential", "lock", "run", "breakpoint", "pace"]), name: z.string() })
      .nullable()
      .meta({ description: "What it waits for, besides a time." }),
    rehearsal: z.boolean().meta({ description: "Whether calls that do more than read are held back." }),
    origin: z
      .string()
      .nullable()
      .meta({ description: "The run whose outcomes it keeps; null where it began anew." }),
    calls: z.number().meta({ description: "How many requests were sent." }),
    problems: z.number(),
    error: runError.nullable(),
    message: z.string().nullable(),
    unsure: z.array(z.object({ path: z.string(), reason: z.string(), attempt: z.number() })).meta({
      description: "Steps whose call may or may not have arrived, and of which nobody has decided.",
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
  })
  .meta({ id: "RunDetail" });
export type RunDetail = z.output<typeof runDetail>;
export type OutlineStep = RunDetail["steps"][number];

export const journalEntry = z.object({ seq: z.number(), entry: jsonObject }).meta({ id: "JournalEntry" });

export const workflowSummary = z
  .object({
    name: z.string(),
    title: z.string().nullable(),
    published: z
      .number()
      .nullable()
      .meta({ description: "The published version; null while there is none." }),
    draft: z.boolean().meta({ description: "Whether there is a draft that differs from what is published." }),
    problems: z.number().meta({ description: "Errors in the draft." }),
    triggers: z.array(z.string()),
    changedAt: z.string(),
    recent: z.array(z.object({ id: z.string(), state: runState, createdAt: z.string() })),
  })
  .meta({ id: "WorkflowSummary" });

export const workflowDetail = workflowSummary
  .extend({
    text: z.string(),
    revision: z.number(),
    about: z.string().nullable(),
    inputs: jsonObject.nullable(),
    outline: runDetail.shape.steps,
    problemList: z.array(problem),
    scopes: z
      .array(
        z.object({
          step: z.string(),
          line: z.number(),
          operation: z.string(),
          credential: z.string(),
          wanted: z.array(z.string()),
          has: z.array(z.string()),
          known: z
            .enum(["token", "asked"])
            .meta({ description: "Whether its token says what it has, or only what is asked for is known." }),
          missing: z.array(z.string()),
        }),
      )
      .meta({ description: "The scopes that its operations want, beside those of the credentials." }),
    changedOperations: z
      .array(z.object({ operation: z.string(), what: z.string(), details: z.array(z.string()) }))
      .meta({ description: "Operations that it uses and that have changed since it was published." }),
  })
  .meta({ id: "WorkflowDetail" });
export type WorkflowDetail = z.output<typeof workflowDetail>;
export type WorkflowSummary = z.output<typeof workflowSummary>;
