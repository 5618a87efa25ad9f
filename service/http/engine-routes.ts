import { routes } from "@copper-kettle/contract";
import { compareRuns, outline, type Entry, type Json, type Path } from "@copper-kettle/core";
import type { Express } from "express";
import { repeatOf, withKept } from "../runs/again.js";
import { BadOptions } from "../runs/starts.js";
import { RunRow, type RunRecord } from "../store/models.js";
import type { Context } from "./context.js";
import { notFound } from "./problems.js";
import { requireCredentials } from "./workflow-routes.js";
import { serve } from "./serve-route.js";
import { iso, isoOrNull, runView } from "./views.js";

/** So many pages of a thousand entries of a run are read to compare it. */
const mostPages = 50;

/** Runs by hand, and what runs share. */
export function serveEngine(app: Express, context: Context): void {
  const { journals, runner, starts, kept, locks, pacer, settings } = context;
  const find = async (id: string): Promise<RunRow> => {
    const row = await RunRow.findByPk(id);
    if (!row) throw notFound("run", id);
    return row;
  };
  const view = (row: RunRecord) => runView(row, runner.isActive(row.id));

  serve(app, routes.runAgain, async ({ params, body, by }) => {
    const request = await repeatOf(context, await find(params.id), { ...body, by });
    if (request.version === 0) await requireCredentials(context, request.text, by);
    const { row } = await starts.start(request);
    return view(row);
  });

  serve(app, routes.continueRun, async ({ params, body, by }) => {
    const row = await find(params.id);
    const { partial } = await context.workflows.parsed(row.text);
    const steps = outline(partial?.steps ?? []).map(({ name }) => name);
    const changes = Object.entries(body.set).map(([text, value]) => ({
      place: placeOf(text, steps),
      value: value as Json,
    }));
    await starts.resume(row, changes, by);
    return view(await find(params.id));
  });

  serve(app, routes.releaseRun, async ({ params, by }) => {
    await starts.release(await find(params.id), by);
    return view(await find(params.id));
  });

  const openEntries = async (id: string): Promise<Entry[]> => {
    const entries: Entry[] = [];
    let after = -1;
    for (let pages = 0; pages < mostPages; pages++) {
      const page = await journals.open(id, after, 1_000);
      entries.push(...page.entries.map(({ entry }) => entry as unknown as Entry));
      after = page.entries.at(-1)?.seq ?? after;
      if (!page.more) break;
    }
    return entries;
  };
  /** With what it keeps of the run that it repeats. */
  const openWhole = async (row: RunRow): Promise<Entry[]> =>
    withKept(context, row, await openEntries(row.id), async (source) => openWhole(source));
  serve(app, routes.compareRuns, async ({ params, query }) => {
    const [first, second] = [await find(params.id), await find(query.with)];
    const steps = compareRuns(await openWhole(first), await openWhole(second));
    return { first: view(first), second: view(second), steps };
  });

  serve(app, routes.kept, async ({ params }) => ({
    kept: kept.list(params.name).map(({ key, shown, expires, changedAt }) => ({
      key,
      values: shown,
      expires: isoOrNull(expires),
      changedAt: iso(changedAt),
    })),
  }));
  serve(app, routes.forgetKept, async ({ params, query }) => {
    if (!(await kept.remove(params.name, query.key))) throw notFound("key", query.key);
  });

  serve(app, routes.locks, async () => {
    const held = await Promise.all(
      locks.all().map(async ({ name, run, path }) => {
        const row = await RunRow.findByPk(run);
        const asleep = await RunRow.findAll({
          where: { waitsFor: `lock:${name}`, endedAt: null },
          attributes: ["id"],
          limit: 100,
        });
        const state = row ? view(row).state : "held";
        const waiting = [...new Set([...locks.waiting(name), ...asleep.map(({ id }) => id)])];
        return { name, run, path, state, waiting };
      }),
    );
    return { locks: held };
  });
  serve(app, routes.paces, async () => ({
    paces: pacer.view().map((pace) => ({ ...pace, pausedUntil: isoOrNull(pace.pausedUntil) })),
  }));
  serve(app, routes.pause, async ({ body }) => {
    await settings.put("paused", body.paused);
    runner.pauseAll(body.paused);
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
