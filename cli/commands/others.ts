import { routes } from "@copper-kettle/contract";
import { parseJson, printForPeople, type Json } from "@copper-kettle/core";
import type { Command } from "commander";
import { clientOf, globalsOf, serviceUrl } from "../context.js";
import { brief, say, show, stateText, table } from "../output.js";

/** `status`, and the groups `key` and `constant`. */
export function addOthers(program: Command): void {
  program
    .command("status")
    .description("whether the service runs, and what it does")
    .option("--link", "print a one-time sign-in link to the console")
    .action(async (options: { link?: boolean }, command: Command) => {
      const globals = globalsOf(command);
      const client = clientOf(globals);
      if (options.link) {
        const link = await client.call(routes.signInLink);
        return show(globals, link, () => link.url);
      }
      const status = await client.call(routes.status);
      show(globals, status, () => {
        const up = printForPeople(Date.now() - Date.parse(status.startedAt));
        const runs = Object.entries(status.runs).map(([state, count]) => `  ${stateText(state)} ${count}`);
        return [
          `Copper Kettle ${status.version} at ${serviceUrl(globals)}, up for ${up}`,
          `data in ${status.dataFolder}`,
          `${status.workflows} workflows`,
          ...runs,
          ...(status.paused ? ["All runs are paused: ckettle resume"] : []),
          ...(status.trouble ? [`Runs cannot go on at the moment: ${status.trouble.message}`] : []),
        ].join("\n");
      });
    });

  program
    .command("key")
    .description("the key that seals secrets: rotate")
    .command("rotate")
    .description("make a new sealing key while the service runs; what is sealed stays as it is")
    .action(async (_options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const result = await clientOf(globals).call(routes.rotateKey);
      show(
        globals,
        result,
        () =>
          `The sealing key is new; ${result.dataKeys} data keys are wrapped with it. Copy sealing.key again.`,
      );
    });

  const group = program
    .command("constant")
    .description("constants, named values that are no secrets: set, list, remove");
  group
    .command("set")
    .description("set a constant; what is JSON is read as JSON, all else as text")
    .argument("<name>")
    .argument("<value>")
    .action(async (name: string, text: string, _options: unknown, command: Command) => {
      const value = valueOf(text);
      await clientOf(globalsOf(command)).call(routes.putConstant, { params: { name }, body: { value } });
      say(`constants.${name} is ${brief(value)}`);
    });
  group
    .command("list")
    .description("all constants")
    .action(async (_options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const { constants } = await clientOf(globals).call(routes.constants);
      const rows = Object.entries(constants).map(([name, value]) => [name, brief(value)]);
      show(globals, constants, () => table(["NAME", "VALUE"], rows, "There are no constants yet."));
    });
  group
    .command("remove")
    .description("remove a constant")
    .argument("<name>")
    .action(async (name: string, _options: unknown, command: Command) => {
      await clientOf(globalsOf(command)).call(routes.removeConstant, { params: { name } });
      say(`constants.${name} is removed.`);
    });
}

function valueOf(text: string): Json {
  try {
    return parseJson(text);
  } catch {
    return text;
  }
}
