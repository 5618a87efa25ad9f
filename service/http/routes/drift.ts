import { type DriftStore } from "../../store/drift.js";
import { routes, type Drift } from "@copper-kettle/contract";
import type { Express } from "express";
import { iso } from "../../times.js";
import type { Context } from "../context.js";
import { serve } from "../serve-route.js";

export function serveDrift(app: Express, context: Context): void {
  const { drift } = context;

  serve(app, routes.listDrift, async ({ query }) => ({ drift: drift.list(query.api).map(driftView) }));

  serve(app, routes.forgetDrift, async ({ params, body }) => ({
    forgotten: await drift.forget(params.name, body.operation),
  }));
}

type SeenDrift = ReturnType<DriftStore["list"]>[number];

export function driftView({
  api,
  operation,
  status,
  path,
  what,
  detail,
  firstAt,
  lastAt,
  count,
  run,
}: SeenDrift): Drift {
  return {
    operation: `${api}.${operation}`,
    status,
    path,
    what,
    detail,
    firstAt: iso(firstAt),
    lastAt: iso(lastAt),
    count,
    run,
  };
}
