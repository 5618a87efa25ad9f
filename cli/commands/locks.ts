import { locksRoutes } from "@copper-kettle/contract";
import type { Command } from "commander";
import { clientOf, globalsOf } from "../context.js";
import { show, stateText } from "../output.js";
import { table } from "../table.js";

/** `locks`: names that steps have locked. */
export function addLocks(program: Command): void {
  program
    .command("locks")
    .description("list the names that steps have locked, and the runs that wait for them")
    .action(async (_options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const { locks } = await clientOf(globals).call(locksRoutes.locks);
      show(globals, locks, () =>
        table(
          ["LOCK", "LOCKED BY", "STEP", "STATE", "WAITING"],
          locks.map(({ name, run, path, state, waiting }) => [
            name,
            run,
            path,
            stateText(state),
            waiting.join(", "),
          ]),
          "Nothing is locked.",
        ),
      );
    });
}
