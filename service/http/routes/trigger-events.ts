import { routes, type TriggerEvent } from "@copper-kettle/contract";
import { parseJson, type Json, type JsonObject } from "@copper-kettle/core";
import { randomBytes } from "node:crypto";
import type { Express } from "express";
import type { EventRecord } from "../../store/events.js";
import { iso } from "../../times.js";
import type { Happened } from "../../triggers/events.js";
import type { Context } from "../context.js";
import { webhooksPath, secretDigest } from "../public-side.js";
import { findWorkflow } from "../found.js";
import { HttpProblem, notFound } from "../problems.js";
import { serve } from "../serve-route.js";
import { requireCredentials } from "./workflows.js";

export function serveTriggerEvents(app: Express, context: Context): void {
  const { workflows, eventStore, events, activity } = context;

  serve(app, routes.listEvents, async ({ params, query }) => {
    const { name } = await findWorkflow(context, params.name);
    const { trigger, before, limit } = query;
    const rows = await eventStore.list({ workflow: name, trigger, before, limit: limit + 1 });
    return { events: rows.slice(0, limit).map(eventView), more: rows.length > limit };
  });

  serve(app, routes.resendEvent, async ({ params, body, by }) => {
    const event = await eventStore.find(params.id);
    if (!event) throw notFound("event", params.id);
    const { workflow, trigger } = event;
    const { fetched: _fetched, ...brought } = await eventStore.brought(event.id);
    if (body.version === "draft") {
      const found = await workflows.startable(workflow);
      if (found) await requireCredentials(context, found.draft, by);
    }
    const happened = await events.begin({
      workflow,
      trigger,
      brought,
      at: event.at,
      again: true,
      repeats: event.id,
      ...(body.version === "draft" ? { draftBy: by } : {}),
    });
    return eventOf(context, happened);
  });

  serve(app, routes.makeUpEvent, async ({ params, body, by }) => {
    const { name, draft } = await findWorkflow(context, params.name);
    await requireCredentials(context, draft, by);
    const { trigger, brought } = body;
    const made = { workflow: name, trigger, brought: brought as JsonObject, at: Date.now() };
    return eventOf(context, await events.begin({ ...made, again: true, madeUp: true, draftBy: by }));
  });

  serve(app, routes.keepEvent, async ({ params }) => {
    const event = await eventStore.find(params.id);
    if (!event) throw notFound("event", params.id);
    await eventStore.saveSample(event);
    return eventView({ ...event, sample: 1 });
  });

  serve(app, routes.triggerShapes, async ({ params }) => {
    const { name } = await findWorkflow(context, params.name);
    return { shapes: eventStore.shapes(name) };
  });

  serve(app, routes.draftAddress, async ({ params, by }) => {
    const { name, draft } = await findWorkflow(context, params.name);
    await requireCredentials(context, draft, by);
    // 160 random bits; only their digest is stored.
    const secret = randomBytes(20).toString("base64url");
    const until = await workflows.triggers.drafts.give(name, secretDigest(secret), by, Date.now());
    await activity.note({ by, action: "gave", kind: "workflow", name, detail: "an address of the draft" });
    return { address: `${context.webhooksUrl}${webhooksPath}/draft/${secret}`, until: iso(until) };
  });
}

/** An event as it is shown, by what became of it. */
export async function eventOf(
  { eventStore }: Context,
  happened: Happened | undefined,
): Promise<TriggerEvent> {
  const row = happened && (await eventStore.find(happened.id));
  if (!row)
    throw new HttpProblem(
      409,
      "no-trigger",
      "No such trigger",
      "That version of the workflow has no such trigger, or has problems.",
    );
  return eventView(row);
}

export function eventView({ lastRun: _lastRun, ...row }: EventRecord): TriggerEvent {
  return {
    ...row,
    sample: row.sample === 1,
    madeUp: row.madeUp === 1,
    at: iso(row.at),
    brought: parseJson(row.brought) as Json as TriggerEvent["brought"],
  };
}
