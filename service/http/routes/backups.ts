import type { Principal } from "@copper-kettle/core";
import { routes } from "@copper-kettle/contract";
import type { Express } from "express";
import { backUp } from "../../upkeep/backup.js";
import type { Context } from "../context.js";
import { serve } from "../serve-route.js";

export function serveBackups(app: Express, context: Context): void {
  const { pruner, activity } = context;
  const noted = (by: Principal, action: string, name: string): Promise<void> =>
    activity.note({ by, action, kind: "settings", name });
  serve(app, routes.backup, async ({ body, by }) => {
    const done = await backUp(
      {
        dataFolder: context.dataFolder,
        writer: context.writer,
        root: context.backupFolder,
        version: context.version,
        turns: context.sealing.turns,
        holding: (work) => pruner.holding(work),
      },
      body,
    );
    await noted(by, "backed up", done.folder);
    return done;
  });
}
