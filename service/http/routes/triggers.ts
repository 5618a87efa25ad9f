import { routes, type Trigger } from "@copper-kettle/contract";
import {
  dueAt,
  nextBeats,
  maskPlaces,
  parseDuration,
  printForPeople,
  secretPlaces,
  type Json,
  wordsOf,
  type ReadyTrigger,
  type WebhookTrigger,
} from "@copper-kettle/core";
import { randomBytes } from "node:crypto";
import type { Express } from "express";
import type { EventRecord } from "../../store/events.js";
import type { PollState } from "../../store/seen.js";
import { activeName, type TriggerRecord } from "../../store/triggers.js";
import { iso } from "../../times.js";
import { nextOf, scheduleName, scheduleOf, triggerOf } from "../../triggers/arming.js";
import { troubles } from "../../store/troubles.js";
import type { Context } from "../context.js";
import { secretDigest, webhooksPath } from "../public-side.js";
import { findWorkflow } from "../found.js";
import { HttpProblem, notFound } from "../problems.js";
import { serve } from "../serve-route.js";
import { eventOf, eventView } from "./trigger-events.js";

const longestOverlap = 90 * 86_400_000;

/** So many next times are shown of one trigger, and in a list. */
const mostTimes = { one: 10, list: 1 };

export function serveTriggers(app: Express, context: Context): void {
  const { workflows, eventStore, events, schedules, activity } = context;
  const { triggers } = workflows;

  serve(app, routes.listTriggers, async ({ query }) => {
    const views: Trigger[] = [];
    const last = new Map<string, Map<string, EventRecord>>();
    const inTrouble = await troublesByName();
    for (const row of await triggers.list(query.workflow)) {
      if (!last.has(row.workflow)) last.set(row.workflow, await eventStore.lastOf(row.workflow));
      views.push(
        await triggerView(context, row, last.get(row.workflow)?.get(row.name), mostTimes.list, inTrouble),
      );
    }
    return { triggers: views };
  });

  serve(app, routes.trigger, async ({ params }) => shown(params));

  serve(app, routes.switchTrigger, async ({ params, body, by }) => {
    const row = await found(params);
    const { workflow, name } = row;
    const ready = await readyOf(context, row);
    const constants = context.constants.all();
    const next = nextOf(ready, { workflow, name, constants, after: Date.now() });
    if (body.on !== (row.isOn === 1)) {
      await triggers.setOn(workflow, name, body.on, next);
      const action = body.on ? "switched on" : "switched off";
      await activity.note({ by, action, kind: "workflow", name: workflow, detail: `trigger ${name}` });
      void schedules.wakeSoon();
    }
    return shown(params);
  });

  serve(app, routes.fireTrigger, async ({ params }) => {
    const row = await found(params);
    if (row.kind !== "schedule")
      throw new HttpProblem(
        409,
        "not-a-schedule",
        "Not a schedule",
        `The trigger ${row.name} is of the kind ${row.kind}: only a schedule can be told to start a run now.`,
      );
    const happened = await events.begin({
      workflow: row.workflow,
      trigger: row.name,
      brought: {},
      at: Date.now(),
    });
    return eventOf(context, happened);
  });

  serve(app, routes.lookTrigger, async ({ params, body }) => {
    const row = await found(params);
    if (row.kind !== "poll")
      throw new HttpProblem(
        409,
        "not-a-poll",
        "Not a poll",
        `The trigger ${row.name} is of the kind ${row.kind}: only a poll looks.`,
      );
    const seen = await schedules.parts.polls.preview(row);
    const started = body.start && seen.fault === null && seen.count > 0 && row.isOn === 1;
    if (started) {
      if (seen.gone > 0) await context.seen.agree(row.workflow, row.name);
      await triggers.setOn(row.workflow, row.name, true, { beat: Date.now(), dueAt: Date.now() });
      void schedules.wakeSoon();
    }
    const masked = (value: Json): Json =>
      context.credentials.masks.json(maskPlaces(value, secretPlaces(value)));
    const fresh = seen.fresh.map((one) => ({
      ...one,
      id: context.credentials.masks.text(one.id),
      item: masked(one.item),
    }));
    return { ...seen, fresh: fresh as never, started };
  });

  serve(app, routes.listLooks, async ({ params }) => {
    const { workflow, name } = await found(params);
    const looks = await context.looks.list(workflow, name);
    return { looks: looks.map(({ at, entries }) => ({ at: iso(at), entries: entries as never[] })) };
  });

  serve(app, routes.forgetTrigger, async ({ params, by }) => {
    const row = await found(params);
    const { workflow, name, kind } = row;
    if (kind !== "poll" && kind !== "webhook")
      throw new HttpProblem(
        409,
        "knows-nothing",
        "It knows nothing",
        `The trigger ${name} is of the kind ${kind}: only a poll and a webhook know what was there before.`,
      );
    const forgot =
      kind === "poll"
        ? { items: await schedules.parts.polls.forget(row), keys: 0 }
        : { items: 0, keys: await triggers.forgetKeys(workflow, name) };
    await activity.note({
      by,
      action: "forgot",
      kind: "workflow",
      name: workflow,
      detail: `trigger ${name}`,
    });
    void schedules.wakeSoon();
    return forgot;
  });

  serve(app, routes.replaceAddress, async ({ params, body, by }) => {
    const row = await found(params);
    const ready = await readyOf(context, row);
    if (ready?.kind !== "webhook" || ready.verify.by !== "none")
      throw new HttpProblem(
        409,
        "not-secret",
        "Its address is no secret",
        `The address of ${row.name} has nothing unguessable in it: only a webhook with "verify: none" has such an address.`,
      );
    const overlap = body.overlap === undefined ? 0 : parseDuration(body.overlap);
    if (overlap === undefined || overlap < 0 || overlap > longestOverlap)
      throw new HttpProblem(
        422,
        "invalid-request",
        "Invalid overlap",
        `"overlap" is a duration of at most 90d, such as 24h; this is "${String(body.overlap)}".`,
      );
    // 160 random bits; only their digest is stored.
    const secret = randomBytes(20).toString("base64url");
    const until = overlap > 0 ? Date.now() + overlap : null;
    await triggers.setSecret(row.workflow, row.name, secretDigest(secret), until);
    const detail = `address of trigger ${row.name}`;
    await activity.note({ by, action: "replaced", kind: "workflow", name: row.workflow, detail });
    return { address: `${context.webhooksUrl}${webhooksPath}/${ready.path}/${secret}` };
  });

  async function found({ name, trigger }: { name: string; trigger: string }): Promise<TriggerRecord> {
    await findWorkflow(context, name);
    const row = await triggers.find(name, trigger);
    if (!row) throw notFound("trigger", `${trigger} in the published version of ${name}`);
    return row;
  }

  async function troublesByName(): Promise<ReadonlyMap<string, string>> {
    const found = await troubles(context.writer.store, Date.now());
    return new Map(found.map(({ workflow, trigger, sentence }) => [`${workflow} ${trigger}`, sentence]));
  }

  async function shown(params: { name: string; trigger: string }): Promise<Trigger> {
    const row = await found(params);
    const last = (await eventStore.lastOf(row.workflow)).get(row.name);
    return triggerView(context, row, last, mostTimes.one, await troublesByName());
  }
}

async function readyOf(
  { workflows }: Context,
  { workflow, name }: TriggerRecord,
): Promise<ReadyTrigger | undefined> {
  const found = (await workflows.startable(workflow))?.published;
  const file = found && (await workflows.ready(workflow, found.text).catch(() => undefined));
  return file && triggerOf(file, name);
}

async function triggerView(
  context: Context,
  row: TriggerRecord,
  last: EventRecord | undefined,
  times: number,
  inTrouble: ReadonlyMap<string, string>,
): Promise<Trigger> {
  const { workflow, name, kind, version, isOn } = row;
  const ready = await readyOf(context, row);
  const own = scheduleName(workflow, name);
  const schedule = ready?.kind === "schedule" ? scheduleOf(ready, context.constants.all()) : undefined;
  const next = schedule && isOn === 1 ? nextBeats(schedule, Date.now(), own, times) : [];
  return {
    workflow,
    name,
    kind: kind as Trigger["kind"],
    title: ready?.title ?? null,
    version,
    on: isOn === 1,
    words: schedule ? wordsOf(schedule) : wordsFor(kind, ready),
    next:
      ready?.kind === "poll" && row.dueAt !== null
        ? [iso(row.dueAt)]
        : next.map((beat) => iso(schedule ? dueAt(schedule, beat, own) : beat)),
    looked: ready?.kind === "poll" ? lookedView(await context.seen.state(workflow, name)) : null,
    address: ready?.kind === "webhook" ? addressOf(context, row, ready) : null,
    trouble: inTrouble.get(activeName(row)) ?? null,
    last: last ? eventView(last) : null,
  };
}

function lookedView({ lookedAt, read = 0, heldBack = 0, gone = 0, fault }: PollState): Trigger["looked"] {
  return lookedAt === undefined ? null : { at: iso(lookedAt), read, heldBack, gone, fault: fault ?? null };
}

function wordsFor(kind: string, ready: ReadyTrigger | undefined): string {
  if (ready?.kind === "poll") return `Looks every ${printForPeople(ready.every)} for what is new`;
  return kind === "by-hand" ? "By hand, or by a program" : "By a delivery";
}

/** Where a sender delivers. */
function addressOf(
  { webhooksUrl }: Context,
  { secret }: TriggerRecord,
  { path, verify }: WebhookTrigger,
): Trigger["address"] {
  const given = secret === null ? ("missing" as const) : ("given" as const);
  return { url: `${webhooksUrl}${webhooksPath}/${path}`, secret: verify.by === "none" ? given : "none" };
}
