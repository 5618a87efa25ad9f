import { BadOptions } from "../../runs/start-request.js";
import { routes } from "@copper-kettle/contract";
import {
  bounds,
  type Json,
  outline,
  type Path,
  scopeOf,
  parseDuration,
  type Principal,
} from "@copper-kettle/core";
import { type Express, type Request } from "express";
import { optionsOf } from "../../runs/again.js";
import { apiKey } from "../../store/start-keys.js";
import type { OpenEntry } from "../../store/journal.js";
import type { Context } from "../context.js";
import { openStream } from "../events.js";
import { findRun, openEntries, showRun } from "../found.js";
import type { RunFilter } from "../../store/runs.js";
import { HttpProblem, notFound } from "../problems.js";
import { replied } from "../replies.js";
import { runDetailView } from "../run-view.js";
import { answered, goneOf, serve } from "../serve-route.js";
import { requireCredentials } from "./workflows.js";

export function serveRuns(app: Express, context: Context): void {
  const { workflows, starts, acts, runner, journals, lives, settings } = context;
  // The first of all: starts come in by the thousand, and each route before it is looked at.
  serve(app, routes.startRun, async ({ params, query, body, request, response, by }) => {
    const found = await workflows.startable(params.name);
    if (!found) throw notFound("workflow", params.name);
    const what = body.draft ? { version: 0, text: found.draft, principal: by } : found.published;
    if (!what) {
      throw new HttpProblem(
        409,
        "not-published",
        "Not published",
        `The workflow ${params.name} is not published yet. Publish it, or start its draft.`,
      );
    }
    if (body.draft) await requireCredentials(context, what.text, by);
    const options = await optionsOf(context, params.name, what.text, body.options);
    const wait = waitOf(query.wait);
    const started = await starts.start({
      awaited: wait !== undefined,
      workflow: params.name,
      ...what,
      inputs: body.inputs,
      key: keyOf(request, by),
      by,
      ...options,
    });
    response.set("Location", `/api/runs/${started.row.id}`);
    if (wait === undefined) return showRun(context, started.row);
    if (await replied(context, started.row.id, wait, response)) return answered;
    return showRun(context, (await journals.runs.find(started.row.id)) ?? started.row);
  });

  serve(app, routes.listRuns, async ({ query, response }) => {
    const { workflow, state, before, text, limit, skip, order } = query;
    const event = query.event === undefined ? undefined : await startedBy(query.event);
    if (event === null) return { runs: [], more: false };
    const filter = {
      workflow,
      states: state?.split(","),
      before,
      text,
      event,
      createdSince: query.since === undefined ? undefined : Date.parse(query.since),
      createdBefore: query.until === undefined ? undefined : Date.parse(query.until),
    };
    const gone = goneOf(response);
    const [rows, total] = await Promise.all([
      journals.runs.list(filter, limit + 1, { order, skip, gone }),
      query.counted === "true" ? journals.runs.count(filter, bounds.countedRuns, gone) : undefined,
    ]);
    return {
      runs: rows.slice(0, limit).map((row) => showRun(context, row)),
      more: rows.length > limit,
      ...(total === undefined ? {} : { total }),
    };
  });

  /** The runs that an event started; null where it started none. */
  async function startedBy(id: string): Promise<RunFilter["event"] | null> {
    const found = await context.eventStore.find(id);
    if (!found) throw notFound("event", id);
    const { run, lastRun, state } = found;
    return state === "started" && run !== null ? { id, first: run, last: lastRun ?? run } : null;
  }

  serve(app, routes.run, async ({ params }) => {
    const row = await findRun(context, params.id);
    const { entries } = await journals.open(row.id, -1, 1);
    const last = await journals.last(row.id);
    return {
      ...runDetailView(
        showRun(context, row),
        await workflows.parsed(row.text),
        entries,
        await journals.shownResponse(row.id),
        row.startedAt === null ? [] : await lives.stops(row.startedAt, row.endedAt ?? Date.now()),
      ),
      last,
    };
  });

  serve(app, routes.runScope, async ({ params, query }) => {
    await findRun(context, params.id);
    return scopeOf(await openEntries(context, params.id), { id: params.id }, query.at);
  });

  serve(app, routes.journal, async ({ params, query }) => {
    await findRun(context, params.id);
    const { entries, more } = await journals.open(params.id, query.after, query.limit);
    return { entries: entries as never, more };
  });

  serve(app, routes.runEvents, async ({ params, query, request, response }) => {
    await findRun(context, params.id);
    const session = await openStream(request, response);
    let last = Math.max(query.after, Number(session.lastId) || query.after);
    let caughtUp = false;
    const held: OpenEntry[] = [];
    const push = (entries: OpenEntry[]): void => {
      for (const entry of entries) {
        if (entry.seq <= last) continue;
        last = entry.seq;
        session.push(entry, "entry", String(entry.seq));
      }
    };
    const onEntries = (run: string, entries: OpenEntry[]): void => {
      if (run !== params.id) return;
      if (caughtUp) push(entries);
      else held.push(...entries);
    };
    journals.events.on("entries", onEntries);
    session.on("disconnected", () => journals.events.off("entries", onEntries));
    for (let more = true; more && session.isConnected;) {
      const page = await journals.open(params.id, last, 500);
      push(page.entries);
      more = page.more;
    }
    push(held);
    caughtUp = true;
    return answered;
  });

  serve(app, routes.events, async ({ request, response }) => {
    const session = await openStream(request, response);
    const onState = (id: string, workflow: string, state: string): void =>
      void session.push({ id, workflow, state }, "state");
    // Which runs have new entries is told together, a few times a second.
    const changed = new Set<string>();
    let timer: NodeJS.Timeout | undefined;
    const onEntries = (run: string): void => {
      if (changed.size <= mostChanged) changed.add(run);
      timer ??= setTimeout(() => {
        timer = undefined;
        const runs = [...changed].slice(0, mostChanged);
        void session.push({ runs, more: changed.size > runs.length }, "entries");
        changed.clear();
      }, changedEvery);
    };
    journals.events.on("state", onState);
    journals.events.on("entries", onEntries);
    session.on("disconnected", () => {
      clearTimeout(timer);
      journals.events.off("state", onState);
      journals.events.off("entries", onEntries);
    });
    return answered;
  });

  serve(app, routes.stopRun, async ({ params, body, by }) => {
    await acts.stop(await findRun(context, params.id), { now: body.how === "now", by });
    return showRun(context, await findRun(context, params.id));
  });

  serve(app, routes.decideRun, async ({ params, body, by }) => {
    const { path, attempt, outcome } = body;
    await acts.decide(await findRun(context, params.id), body.decision, { path, attempt, outcome, by });
    return showRun(context, await findRun(context, params.id));
  });

  serve(app, routes.continueRun, async ({ params, body, by }) => {
    const row = await findRun(context, params.id);
    const { partial } = await context.workflows.parsed(row.text);
    const steps = outline(partial?.steps ?? []).map(({ name }) => name);
    const changes = Object.entries(body.set).map(([text, value]) => ({
      place: placeOf(text, steps),
      value: value as Json,
    }));
    await acts.continue(row, { changes, next: body.next }, by);
    return showRun(context, await findRun(context, params.id));
  });

  serve(app, routes.resumeRun, async ({ params, by }) => {
    await acts.resume(await findRun(context, params.id), by);
    return showRun(context, await findRun(context, params.id));
  });

  serve(app, routes.pause, async ({ body }) => {
    await settings.put("paused", body.paused);
    runner.pauseAll(body.paused);
    void context.schedules.wakeSoon();
    return { paused: body.paused };
  });
}

/**
 * A place of a value as an expression writes it: `steps.guest.body.items[0]["first name"]`.
 * @throws BadOptions where it is none, or names no step
 */
function placeOf(text: string, steps: string[]): Path {
  const parts = [...text.matchAll(/\[(\d+)\]|\["([^"]*)"\]|\.?([A-Za-z_][\w-]*)/gy)];
  const length = parts.reduce((sum, [part]) => sum + part.length, 0);
  const place = parts.map(([, index, quoted, name]) =>
    index === undefined ? (quoted ?? name ?? "") : Number(index),
  );
  if (length !== text.length || place.length < 2 || (place[0] !== "steps" && place[0] !== "variables"))
    throw new BadOptions([
      {
        field: `set.${text}`,
        message: "A place begins with steps or variables, as in steps.guest.body.items[0].id.",
      },
    ]);
  if (place[0] === "steps" && !steps.includes(String(place[1])))
    throw new BadOptions([
      { field: `set.${text}`, message: `There is no step "${String(place[1])}" in this run.` },
    ]);
  return place;
}

const longestWait = 10 * 60_000;

/** How often a stream tells which runs have new entries, in milliseconds, and of how many by name. */
const [changedEvery, mostChanged] = [200, 200];

function keyOf(request: Request, by: Principal): string | undefined {
  const key = request.get("Idempotency-Key");
  if (key === "" || (key?.length ?? 0) > 255) {
    throw new HttpProblem(
      400,
      "invalid-request",
      "Invalid key",
      "An Idempotency-Key has 1 to 255 characters.",
    );
  }
  return key === undefined ? undefined : apiKey(by, key);
}

function waitOf(text: string | undefined): number | undefined {
  if (text === undefined) return undefined;
  const millis = parseDuration(text);
  if (millis === undefined || millis < 0 || millis > longestWait) {
    throw new HttpProblem(
      400,
      "invalid-request",
      "Invalid wait",
      `"wait" is a duration of at most 10m, such as 30s; this is "${text}".`,
    );
  }
  return millis;
}
