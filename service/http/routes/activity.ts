import { routes } from "@copper-kettle/contract";
import type { Express } from "express";
import { iso } from "../../times.js";
import type { Context } from "../context.js";
import { serve } from "../serve-route.js";

export function serveActivity(app: Express, context: Context): void {
  const { activity } = context;

  serve(app, routes.listActivity, async ({ query }) => ({
    activity: (await activity.list({ name: query.credential, before: query.before, limit: query.limit })).map(
      ({ id, at, by, action, kind, name, run, detail }) => ({
        id,
        at: iso(at),
        by,
        action,
        kind,
        name,
        run,
        detail,
      }),
    ),
  }));
}
