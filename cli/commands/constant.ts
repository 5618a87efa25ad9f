import { constantsRoutes } from "@copper-kettle/contract";
import { parseJson, type Json } from "@copper-kettle/core";
import type { Command } from "commander";
import { clientOf, globalsOf } from "../context.js";
import { brief, say, show } from "../output.js";
import { table } from "../table.js";

/** `constant`: named values that are not secrets. */
export function addConstant(program: Command): void {
  const group = program
    .command("constant")
    .description("constants, named values that are not secrets: set, list, remove");
  group
    .command("set")
    .description("set a constant; JSON is read as JSON, everything else as text")
    .argument("<name>")
    .argument("<value>")
    .action(async (name: string, text: string, _options: unknown, command: Command) => {
      const value = valueOf(text);
      await clientOf(globalsOf(command)).call(constantsRoutes.putConstant, {
        params: { name },
        body: { value },
      });
      say(`constants.${name} is ${brief(value)}`);
    });
  group
    .command("list")
    .description("list all constants")
    .action(async (_options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const { constants } = await clientOf(globals).call(constantsRoutes.constants);
      const rows = Object.entries(constants).map(([name, value]) => [name, brief(value)]);
      show(globals, constants, () => table(["NAME", "VALUE"], rows, "There are no constants yet."));
    });
  group
    .command("remove")
    .description("remove a constant")
    .argument("<name>")
    .action(async (name: string, _options: unknown, command: Command) => {
      await clientOf(globalsOf(command)).call(constantsRoutes.removeConstant, { params: { name } });
      say(`Removed constants.${name}.`);
    });
}

function valueOf(text: string): Json {
  try {
    return parseJson(text);
  } catch {
    return text;
  }
}
