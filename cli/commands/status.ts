import { sessionRoutes, statusRoutes } from "@copper-kettle/contract";
import { printForPeople } from "@copper-kettle/core";
import type { Command } from "commander";
import { clientOf, globalsOf, serviceUrl } from "../context.js";
import { show, stateText } from "../output.js";

/** `status`: whether the service runs, and what it does. */
export function addStatus(program: Command): void {
  program
    .command("status")
    .description("show whether the service runs, and what it does")
    .option("--link", "print a one-time sign-in link to the console")
    .action(async (options: { link?: boolean }, command: Command) => {
      const globals = globalsOf(command);
      const client = clientOf(globals);
      if (options.link) {
        const link = await client.call(sessionRoutes.signInLink);
        return show(globals, link, () => link.url);
      }
      const status = await client.call(statusRoutes.status);
      show(globals, status, () => {
        const up = printForPeople(Date.now() - Date.parse(status.startedAt));
        const runs = Object.entries(status.runs).map(([state, count]) => `  ${stateText(state)} ${count}`);
        return [
          `Copper Kettle ${status.version} at ${serviceUrl(globals)}, up for ${up}`,
          `data in ${status.dataFolder}`,
          `${status.workflows} workflows`,
          ...runs,
          ...(status.paused ? ["All runs are paused. Resume them with: ckettle resume"] : []),
          ...(status.clock === null ? [] : [status.clock]),
          ...(status.undelivered === null ? [] : [status.undelivered]),
          ...(status.trouble ? [`Runs cannot continue at the moment: ${status.trouble.message}`] : []),
        ].join("\n");
      });
    });
}
