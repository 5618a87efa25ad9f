import { routes } from "@copper-kettle/contract";
import type { Express } from "express";
import { iso, isoOrNull } from "../../times.js";
import type { Context } from "../context.js";
import { notFound } from "../problems.js";
import { serve } from "../serve-route.js";

export function serveRemembered(app: Express, context: Context): void {
  const { remembered } = context;

  serve(app, routes.remembered, async ({ params }) => ({
    remembered: remembered.list(params.name).map(({ key, shown, expires, changedAt }) => ({
      key,
      values: shown,
      expires: isoOrNull(expires),
      changedAt: iso(changedAt),
    })),
  }));

  serve(app, routes.forgetRemembered, async ({ params, query }) => {
    if (!(await remembered.remove(params.name, query.key))) throw notFound("key", query.key);
  });
}
