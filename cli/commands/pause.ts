import { runsRoutes } from "@copper-kettle/contract";
import type { Command } from "commander";
import { clientOf, globalsOf } from "../context.js";
import { show } from "../output.js";

/** `pause` and `resume`: all runs of the service. */
export function addPause(program: Command): void {
  const pause = (paused: boolean) => async (_options: unknown, command: Command) => {
    const globals = globalsOf(command);
    const now = await clientOf(globals).call(runsRoutes.pause, { body: { paused } });
    show(globals, now, () =>
      paused ? "All runs are paused. Resume them with: ckettle resume" : "Runs continue.",
    );
  };
  program
    .command("pause")
    .description("pause all runs: no run starts or resumes, and active ones stop at their next wait")
    .action(pause(true));
  program.command("resume").description("resume all runs after a pause").action(pause(false));
}
