import { routes } from "@copper-kettle/contract";
import type { Express } from "express";
import { iso } from "../../times.js";
import type { Context } from "../context.js";
import { troubleView } from "../run-view.js";
import { serve } from "../serve-route.js";

export function serveStatus(app: Express, context: Context): void {
  const { journals, runner } = context;
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
    };
  });
}
