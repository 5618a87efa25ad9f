import { route } from "../route.js";
import { json, named } from "./common.js";
import { triggerEvent } from "./trigger-events.js";
import { z } from "zod";

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
        gone: z.number().meta({ description: "Items gone at once: nothing starts until a person agrees." }),
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
    trouble: z
      .string()
      .nullable()
      .meta({ description: "What it does not do as it should; people are notified of it." }),
    last: triggerEvent.nullable(),
  })
  .meta({ id: "Trigger" });

export type Trigger = z.output<typeof trigger>;

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
  lookTrigger: route({
    method: "POST",
    path: "/api/workflows/{name}/triggers/{trigger}/look",
    summary: "Let a poll look now: tell what it would start; or start it",
    params: one,
    body: z.strictObject({ start: z.boolean().default(false) }),
    output: z.object({
      fault: z.string().nullable(),
      read: z.number().meta({ description: "How many items were read." }),
      count: z.number().meta({ description: "How many of them start runs." }),
      gone: z.number().meta({ description: "How many of these are gone, where that starts runs." }),
      fresh: z.array(z.object({ id: z.string(), new: z.boolean(), gone: z.boolean(), item: json })),
      started: z.boolean().meta({ description: "Whether the poll looks again at once, and starts them." }),
    }),
    status: 200,
    needs: "token",
  }),
  listLooks: route({
    method: "GET",
    path: "/api/workflows/{name}/triggers/{trigger}/looks",
    summary: "List the last looks of a poll, the newest first: what was sent, and what came back",
    params: one,
    output: z.object({
      looks: z.array(
        z.object({
          at: z.string(),
          entries: z.array(json).meta({
            description: "As in the journal of a run, with secrets masked, and without long bodies.",
          }),
        }),
      ),
    }),
    status: 200,
    needs: "token",
  }),
  forgetTrigger: route({
    method: "DELETE",
    path: "/api/workflows/{name}/triggers/{trigger}/known",
    summary: "Forget what a trigger knows: of a poll its items and its mark, of a webhook its keys",
    params: one,
    output: z.object({
      items: z.number().meta({ description: "Of a poll: so many items were known." }),
      keys: z.number().meta({ description: "Of a webhook: so many keys counted." }),
    }),
    status: 200,
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
} as const;
