import { routes } from "@copper-kettle/contract";
import type { Express } from "express";
import { OneAtATime } from "../../one-at-a-time.js";
import { stillOnItsWay } from "../../store/blobs.js";
import { Erasing } from "../../store/erasing.js";
import type { Context } from "../context.js";
import { serve } from "../serve-route.js";

export function serveErasures(app: Express, context: Context): void {
  const { writer, blobs, sealing, checkpoints, pruner, activity, log } = context;
  const turns = new OneAtATime();

  serve(app, routes.erase, ({ body, by }) =>
    turns.run(async () => {
      const dry = body.dryRun === true;
      const erasing = new Erasing(writer, blobs, sealing.sealer, body.value, dry);
      const done = await pruner.holding(() => erasing.run());
      if (dry) return done;
      await checkpoints.empty();
      for (const digest of erasing.bodiesLeft)
        setTimeout(
          () =>
            void blobs.remove(digest).catch((error: unknown) => log.warn({ err: error }, "a body is left")),
          stillOnItsWay + 1_000,
        ).unref();
      const left = done.refused.length > 0 ? `; ${done.refused.length} under way hold it still` : "";
      const detail = `in ${done.runs.length} ${done.runs.length === 1 ? "run" : "runs"}${left}`;
      await activity.note({ by, action: "erased", kind: "settings", name: "a value", detail });
      return done;
    }),
  );
}
