import { rememberedRoutes } from "@copper-kettle/contract";
import type { Command } from "commander";
import { clientOf, globalsOf } from "../context.js";
import { brief, say, show, timeText } from "../output.js";
import { table } from "../table.js";

/** `remembered`: values that workflows remember from run to run. */
export function addRemembered(program: Command): void {
  const remembered = program
    .command("remembered")
    .description("values that workflows remember from run to run: list, forget");
  remembered
    .command("list")
    .description("list the remembered values of a workflow")
    .argument("<workflow>")
    .action(async (name: string, _options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const found = await clientOf(globals).call(rememberedRoutes.remembered, { params: { name } });
      show(globals, found.remembered, () =>
        table(
          ["KEY", "VALUES", { times: "CHANGED" }, { times: "EXPIRES" }],
          found.remembered.map(({ key, values, changedAt, expires }) => [
            key,
            brief(values, 80),
            timeText(changedAt),
            timeText(expires),
          ]),
          `${name} remembers nothing yet.`,
        ),
      );
    });
  remembered
    .command("forget")
    .description("forget one key")
    .argument("<workflow>")
    .argument("<key>")
    .action(async (name: string, key: string, _options: unknown, command: Command) => {
      await clientOf(globalsOf(command)).call(rememberedRoutes.forgetRemembered, {
        params: { name },
        query: { key },
      });
      say(`Forgot ${key}.`);
    });
}
