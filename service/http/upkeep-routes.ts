import { routes } from "@copper-kettle/contract";
import type { Json } from "@copper-kettle/core";
import type { Express } from "express";
import { backUp } from "../upkeep/backup.js";
import type { Context } from "./context.js";
import { serve } from "./serve-route.js";

/** Retention, telling people, backups. */
export function serveUpkeep(app: Express, context: Context): void {
  const { teller, pruner, settings, activity } = context;
  const noted = (by: string, action: string, name: string): Promise<void> =>
    activity.note({ by, action, kind: "settings", name });

  serve(app, routes.telling, async () => teller.view());
  serve(app, routes.putTelling, async ({ body, by }) => {
    const secret = await teller.change(body);
    await noted(by, "changed", "telling");
    return { ...teller.view(), ...(secret ? { secret } : {}) };
  });
  serve(app, routes.tryTelling, async () => ({ sent: await teller.try() }));

  serve(app, routes.retention, async () => pruner.rules());
  serve(app, routes.putRetention, async ({ body, by }) => {
    await settings.put("retention", JSON.parse(JSON.stringify(body)) as Json);
    await noted(by, "changed", "retention");
    return pruner.rules();
  });
  serve(app, routes.prune, async () => pruner.prune());

  serve(app, routes.backup, async ({ body, by }) => {
    const done = await backUp(
      {
        dataFolder: context.dataFolder,
        root: context.backupFolder,
        version: context.version,
        turns: context.sealing.turns,
        holding: (work) => pruner.holding(work),
      },
      body.folder,
    );
    await noted(by, "backed up", done.folder);
    return done;
  });
}
