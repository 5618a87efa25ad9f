import { sealingKeyRoutes } from "@copper-kettle/contract";
import type { Command } from "commander";
import { clientOf, globalsOf } from "../context.js";
import { show } from "../output.js";

/** `key`: the key that seals secrets. */
export function addKey(program: Command): void {
  program
    .command("key")
    .description("the key that seals secrets: rotate")
    .command("rotate")
    .description("make a new sealing key while the service runs; sealed secrets stay as they are")
    .action(async (_options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const result = await clientOf(globals).call(sealingKeyRoutes.rotateKey);
      show(
        globals,
        result,
        () =>
          `There is a new sealing key, and ${result.dataKeys} data keys are wrapped with it. Copy the file sealing.key again.`,
      );
    });
}
