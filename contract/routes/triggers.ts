import { route } from "../route.js";
import { json, named } from "./common.js";
import { count } from "./runs.js";
import { z } from "zod";

const eventState = z.enum(["started", "same", "left-out", "refused", "skipped"]);

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
        "`started` a run; `same`: its key was there before; `left-out` by only-if; `refused`: it could start none; `skipped`: there was no room, or its time was missed.",
    }),
    run: z.string().nullable(),
    reason: z.string().nullable(),
    brought: json.meta({ description: "What came, with secrets masked; bodies go after 7 days." }),
  })
  .meta({ id: "TriggerEvent" });

export const trigger = z
  .object({
    workflow: z.string(),
    name: z.string(),
    kind: z.enum(["by-hand", "schedule", "webhook", "poll"]),
    title: z.string().nullable(),
    version: z.number(),
    on: z.boolean(),
    words: z.string().meta({ description: "What begins runs, as a sentence." }),
    next: z.array(z.string()).meta({ description: "Of a schedule the next times, of a poll its next look." }),
    looked: z
      .object({
        at: z.string(),
        read: z.number(),
        heldBack: z.number().meta({ description: "Items that wait for room: the next look takes them." }),
        fault: z.string().nullable(),
      })
      .nullable()
      .meta({ description: "Of a poll: its last look." }),
    address: z
      .object({
        url: z.string().meta({ description: "Without what is unguessable in it, which was shown once." }),
        secret: z
          .enum(["none", "missing", "given"])
          .meta({ description: "Whether an unguessable part belongs to it, and whether one was given out." }),
      })
      .nullable()
      .meta({ description: "Of a webhook: where its sender delivers." }),
    last: triggerEvent.nullable(),
  })
  .meta({ id: "Trigger" });

export type Trigger = z.output<typeof trigger>;
export type TriggerEvent = z.output<typeof triggerEvent>;

const one = z.object({ name: named.shape.name, trigger: z.string() });

export const triggersRoutes = {
  listTriggers: route({
    method: "GET",
    path: "/api/triggers",
    summary: "List the triggers of published versions",
    query: z.object({ workflow: z.string().optional() }),
    output: z.object({ triggers: z.array(trigger) }),
    status: 200,
    needs: "token",
  }),
  trigger: route({
    method: "GET",
    path: "/api/workflows/{name}/triggers/{trigger}",
    summary: "Get a trigger, with its next ten times",
    params: one,
    output: trigger,
    status: 200,
    needs: "token",
  }),
  switchTrigger: route({
    method: "PUT",
    path: "/api/workflows/{name}/triggers/{trigger}",
    summary: "Switch a trigger on or off; that holds over restarts and publishing",
    params: one,
    body: z.strictObject({ on: z.boolean() }),
    output: trigger,
    status: 200,
    needs: "token",
  }),
  fireTrigger: route({
    method: "POST",
    path: "/api/workflows/{name}/triggers/{trigger}/now",
    summary: "Let a schedule start a run now, beside its times",
    params: one,
    output: triggerEvent,
    status: 201,
    needs: "token",
  }),
  replaceAddress: route({
    method: "POST",
    path: "/api/workflows/{name}/triggers/{trigger}/address",
    summary: "Give a webhook that verifies nothing a new address, which is shown once",
    params: one,
    body: z.strictObject({
      overlap: z.string().optional().meta({ description: "How long the older address holds, such as 24h." }),
    }),
    output: z.object({ address: z.string() }),
    status: 201,
    needs: "token",
  }),
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
