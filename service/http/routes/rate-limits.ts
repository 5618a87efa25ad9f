import { routes } from "@copper-kettle/contract";
import type { Express } from "express";
import { isoOrNull } from "../../times.js";
import type { Context } from "../context.js";
import { serve } from "../serve-route.js";

export function serveRateLimits(app: Express, context: Context): void {
  const { rateLimiter } = context;

  serve(app, routes.rateLimits, async () => ({
    rateLimits: rateLimiter.view().map((limit) => ({ ...limit, pausedUntil: isoOrNull(limit.pausedUntil) })),
  }));
}
