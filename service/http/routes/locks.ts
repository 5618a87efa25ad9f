import { routes } from "@copper-kettle/contract";
import type { Express } from "express";
import { select } from "../../store/database.js";
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
        const asleep = await select<{ run: string }>(
          context.journals.store,
          "SELECT DISTINCT run FROM waits WHERE kind = 'lock' AND name = :name LIMIT 100",
          { name },
        );
        const state = row ? showRun(context, row).state : "parked";
        const waiting = [...new Set([...locks.waiting(name), ...asleep.map(({ run }) => run)])];
        return { name, run, path, state, waiting };
      }),
    );
    return { locks: held };
  });
}
