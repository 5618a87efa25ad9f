import { routes } from "@copper-kettle/contract";
import type { Express } from "express";
import { RunRow } from "../../store/models.js";
import type { Context } from "../context.js";
import { showRun } from "../found.js";
import { serve } from "../serve-route.js";

export function serveLocks(app: Express, context: Context): void {
  const { locks } = context;
  serve(app, routes.locks, async () => {
    const held = await Promise.all(
      locks.all().map(async ({ name, run, path }) => {
        const row = await RunRow.findByPk(run);
        const asleep = await RunRow.findAll({
          where: { waitsFor: `lock:${name}`, endedAt: null },
          attributes: ["id"],
          limit: 100,
        });
        const state = row ? showRun(context, row).state : "parked";
        const waiting = [...new Set([...locks.waiting(name), ...asleep.map(({ id }) => id)])];
        return { name, run, path, state, waiting };
      }),
    );
    return { locks: held };
  });
}
