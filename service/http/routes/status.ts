import { routes } from "@copper-kettle/contract";
import { printForPeople } from "@copper-kettle/core";
import type { Express } from "express";
import { iso } from "../../times.js";
import type { Context } from "../context.js";
import { troubleView } from "../run-view.js";
import { serve } from "../serve-route.js";

/** What people are told of a clock that was set back. */
const clockText = (set: { to: number; by: number } | undefined): string | null =>
  set === undefined
    ? null
    : `The clock was set back by ${printForPeople(set.by)}, to ${iso(set.to)}: next times were computed again.`;

export function serveStatus(app: Express, context: Context): void {
  const { journals, runner, schedules } = context;
  serve(app, routes.status, async () => {
    const counts = await journals.runs.counts();
    return {
      version: context.version,
      startedAt: iso(context.startedAt),
      dataFolder: context.dataFolder,
      workflows: (await context.workflows.counts()).workflows,
      runs: Object.fromEntries(counts.map(({ state, count }) => [state, count])),
      paused: context.settings.get("paused") === true,
      trouble: troubleView(runner),
      undelivered: context.notifier.undelivered,
      clock: clockText(schedules.clockSet),
    };
  });
}
