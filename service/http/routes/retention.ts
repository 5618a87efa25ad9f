import { routes } from "@copper-kettle/contract";
import type { Json, Principal } from "@copper-kettle/core";
import type { Express } from "express";
import type { Context } from "../context.js";
import { serve } from "../serve-route.js";

export function serveRetention(app: Express, context: Context): void {
  const { pruner, settings, activity } = context;
  const noted = (by: Principal, action: string, name: string): Promise<void> =>
    activity.note({ by, action, kind: "settings", name });
  serve(app, routes.retention, async () => pruner.rules());

  serve(app, routes.putRetention, async ({ body, by }) => {
    await settings.put("retention", JSON.parse(JSON.stringify(body)) as Json);
    await noted(by, "changed", "retention");
    return pruner.rules();
  });

  serve(app, routes.prune, async () => pruner.prune());
}
