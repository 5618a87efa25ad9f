import { routes } from "@copper-kettle/contract";
import { compareRuns } from "@copper-kettle/core";
import type { Express } from "express";
import { repeatOf } from "../../runs/again.js";
import type { Context } from "../context.js";
import { findRun, showRun, wholeEntries } from "../found.js";
import { serve } from "../serve-route.js";
import { requireCredentials } from "./workflows.js";

export function serveByHand(app: Express, context: Context): void {
  const { starts } = context;
  serve(app, routes.runAgain, async ({ params, body, by }) => {
    const request = await repeatOf(context, await findRun(context, params.id), { ...body, by });
    if (request.version === 0) await requireCredentials(context, request.text, by);
    const { row } = await starts.start(request);
    return showRun(context, row);
  });

  serve(app, routes.compareRuns, async ({ params, query }) => {
    const [first, second] = [await findRun(context, params.id), await findRun(context, query.with)];
    const steps = compareRuns(await wholeEntries(context, first), await wholeEntries(context, second));
    return { first: showRun(context, first), second: showRun(context, second), steps };
  });
}
