import { routes } from "@copper-kettle/contract";
import type { Express } from "express";
import type { Context } from "../context.js";
import { showRun } from "../found.js";
import { serve } from "../serve-route.js";

export function serveLocks(app: Express, context: Context): void {
  const { locks, journals } = context;
  const { runs } = journals;
  serve(app, routes.locks, async () => {
    const held = await Promise.all(
      locks.all().map(async ({ name, run, path }) => {
        const row = await runs.find(run);
        const asleep = await runs.waitingFor("lock", name);
        const state = row ? showRun(context, row).state : "parked";
        const waiting = [...new Set([...locks.waiting(name), ...asleep])];
        return { name, run, path, state, waiting };
      }),
    );
    return { locks: held };
  });
}
