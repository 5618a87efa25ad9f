import { route } from "../route.js";
import { jsonObject, named, nothing, problem } from "./common.js";
import { runDetail, runState } from "./runs.js";
import { z } from "zod";

export const workflowSummary = z
  .object({
    name: z.string(),
    title: z.string().nullable(),
    published: z
      .number()
      .nullable()
      .meta({ description: "The published version; null while there is none." }),
    draft: z.boolean().meta({ description: "Whether the draft differs from the published version." }),
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
    examples: z
      .array(z.object({ name: z.string(), inputs: jsonObject }))
      .meta({ description: "Inputs with a name that the file has." }),
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
            .meta({ description: "Whether the scopes come from the token, or from what is requested." }),
          missing: z.array(z.string()),
        }),
      )
      .meta({ description: "The scopes that its operations need, beside those of the credentials." }),
    changedOperations: z
      .array(z.object({ operation: z.string(), what: z.string(), details: z.array(z.string()) }))
      .meta({ description: "Operations that it uses and that changed since it was published." }),
  })
  .meta({ id: "WorkflowDetail" });

export type WorkflowDetail = z.output<typeof workflowDetail>;

export type WorkflowSummary = z.output<typeof workflowSummary>;

export const workflowsRoutes = {
  check: route({
    method: "POST",
    path: "/api/check",
    summary: "Check a workflow file without saving it",
    body: z.strictObject({ text: z.string() }),
    output: z.object({
      name: z.string().nullable(),
      problems: z.array(problem),
      outline: runDetail.shape.steps,
    }),
    status: 200,
    needs: "token",
  }),
  workflowSchema: route({
    method: "GET",
    path: "/api/schema/workflow",
    summary: "Get the JSON Schema of the workflow file",
    output: jsonObject,
    status: 200,
    needs: "token",
  }),
  listWorkflows: route({
    method: "GET",
    path: "/api/workflows",
    summary: "List the workflows",
    output: z.object({ workflows: z.array(workflowSummary) }),
    status: 200,
    needs: "token",
  }),
  workflow: route({
    method: "GET",
    path: "/api/workflows/{name}",
    summary: "Get one workflow with its file",
    params: named,
    query: z.object({ version: z.coerce.number().int().min(1).optional() }),
    output: workflowDetail,
    status: 200,
    needs: "token",
  }),
  pushWorkflow: route({
    method: "PUT",
    path: "/api/workflows/{name}",
    summary: "Save a workflow's file as its draft, even if it has problems",
    params: named,
    body: z.strictObject({
      text: z.string(),
      base: z
        .number()
        .int()
        .optional()
        .meta({ description: "The revision that was edited. A newer one is a conflict." }),
    }),
    output: workflowDetail,
    status: 200,
    needs: "token",
  }),
  workflowHere: route({
    method: "POST",
    path: "/api/workflows/{name}/here",
    summary: "Say that a window shows the workflow, and get who else has it open",
    params: named,
    body: z.strictObject({
      window: z.string().min(1).max(40).meta({ description: "A name that the window made for itself." }),
      leaves: z.boolean().default(false).meta({ description: "It does not show it any more." }),
    }),
    output: z.object({
      others: z.array(
        z.object({
          who: z.string(),
          isSelf: z.boolean().meta({ description: "Whoever asks, in another window." }),
        }),
      ),
    }),
    status: 200,
    needs: "token",
  }),
  publishWorkflow: route({
    method: "POST",
    path: "/api/workflows/{name}/publish",
    summary: "Publish the draft: it becomes the version that runs",
    params: named,
    output: workflowDetail.extend({
      notes: z.array(z.string()).meta({ description: "What follows for its triggers, in sentences." }),
    }),
    status: 200,
    needs: "token",
  }),
  describeWorkflow: route({
    method: "GET",
    path: "/api/workflows/{name}/description",
    summary: "Describe a workflow for programs that call it: an OpenAPI document, and ready calls",
    params: named,
    output: z.object({
      openapi: jsonObject.meta({ description: "An OpenAPI 3.1 document of its webhooks and its start." }),
      ways: z.array(
        z.object({
          trigger: z.string().nullable().meta({ description: "Null: the service's own API." }),
          method: z.string(),
          url: z.string(),
          proof: z.string(),
          response: z.string(),
          curl: z.string().meta({ description: "For a POSIX shell; secrets come from its environment." }),
          fetch: z.string().meta({ description: "An ES module; secrets come from its environment." }),
        }),
      ),
    }),
    status: 200,
    needs: "token",
  }),
  removeWorkflow: route({
    method: "DELETE",
    path: "/api/workflows/{name}",
    summary: "Remove a workflow; its runs remain",
    params: named,
    output: nothing,
    status: 204,
    needs: "token",
  }),
} as const;
