import { activityRoutes } from "@copper-kettle/contract";
import type { Command } from "commander";
import { clientOf, globalsOf } from "../context.js";
import { show, timeText } from "../output.js";
import { table } from "../table.js";

/** `activity`: the record of who changed what. */
export function addActivity(program: Command): void {
  program
    .command("activity")
    .description("show who changed what, the newest first")
    .option("--credential <name>", "only about this credential")
    .option("--limit <number>", "how many", "50")
    .action(async (options: { credential?: string; limit: string }, command: Command) => {
      const globals = globalsOf(command);
      const { activity } = await clientOf(globals).call(activityRoutes.listActivity, {
        query: {
          limit: Number(options.limit),
          ...(options.credential ? { credential: options.credential } : {}),
        },
      });
      const rows = activity.map((item) => [
        timeText(item.at),
        item.by,
        item.action,
        item.kind === "settings" ? item.name : `${item.kind} ${item.name}`,
        [item.detail, item.run].filter(Boolean).join(" "),
      ]);
      show(globals, activity, () =>
        table([{ times: "AT" }, "WHO", "ACTION", "OBJECT", "DETAIL"], rows, "No activity yet."),
      );
    });
}
