import { route } from "../route.js";
import { json, jsonObject, named } from "./common.js";
import { count } from "./runs.js";
import { z } from "zod";

const eventState = z.enum(["arrived", "started", "same", "left-out", "refused", "skipped"]);

export const triggerEvent = z
  .object({
    id: z.string(),
    workflow: z.string(),
    trigger: z.string(),
    kind: z.string(),
    version: z.number(),
    at: z.string().meta({ description: "When it came; of a schedule its time." }),
    state: eventState.meta({
      description:
        "`arrived`: what it names is being fetched; `started` a run; `same`: its key was there before; `left-out` by only-if; `refused`: it could start none; `skipped`: there was no room, or its time was missed.",
    }),
    run: z.string().nullable().meta({ description: "The run that it started, or the first of them." }),
    runs: z.number().meta({ description: "How many runs it started." }),
    reason: z.string().nullable(),
    sample: z.boolean().meta({ description: "Whether it is saved as the sample of its trigger." }),
    madeUp: z.boolean().meta({ description: "Whether a person made it up." }),
    brought: json.meta({ description: "What came, with secrets masked; bodies go after 7 days." }),
  })
  .meta({ id: "TriggerEvent" });

export type TriggerEvent = z.output<typeof triggerEvent>;

export const triggerEventsRoutes = {
  listEvents: route({
    method: "GET",
    path: "/api/workflows/{name}/events",
    summary: "List what the triggers of a workflow brought, and what became of it, newest first",
    params: named,
    query: z.object({
      trigger: z.string().optional(),
      before: z.string().optional().meta({ description: "The id of the last event on the previous page." }),
      limit: count(200, 50),
    }),
    output: z.object({ events: z.array(triggerEvent), more: z.boolean() }),
    status: 200,
    needs: "token",
  }),
  draftAddress: route({
    method: "POST",
    path: "/api/workflows/{name}/draft-address",
    summary: "Give a draft an address at which it takes deliveries for an hour; the one before is void",
    params: named,
    output: z.object({ address: z.string(), until: z.string() }),
    status: 201,
    needs: "token",
  }),
  makeUpEvent: route({
    method: "POST",
    path: "/api/workflows/{name}/draft-events",
    summary: "Give the draft an event that somebody made up",
    params: named,
    body: z.strictObject({
      trigger: z.string(),
      brought: jsonObject.meta({ description: "What it brings, such as { body: … }." }),
    }),
    output: triggerEvent,
    status: 201,
    needs: "token",
  }),
  triggerShapes: route({
    method: "GET",
    path: "/api/workflows/{name}/trigger-shapes",
    summary: "Get the shapes of what triggers bring, of those whose sample is saved",
    params: named,
    output: z.object({ shapes: z.record(z.string(), jsonObject) }),
    status: 200,
    needs: "token",
  }),
  keepEvent: route({
    method: "PUT",
    path: "/api/events/{id}/sample",
    summary: "Save an event as the sample of its trigger: check and completion know its shape",
    params: z.object({ id: z.string() }),
    output: triggerEvent,
    status: 200,
    needs: "token",
  }),
  resendEvent: route({
    method: "POST",
    path: "/api/events/{id}/resend",
    summary: "Send an event through again; keys do not count",
    params: z.object({ id: z.string() }),
    body: z.strictObject({
      version: z
        .enum(["published", "draft"])
        .default("published")
        .meta({ description: "The version in force, or the draft as it is now." }),
    }),
    output: triggerEvent,
    status: 201,
    needs: "token",
  }),
} as const;
