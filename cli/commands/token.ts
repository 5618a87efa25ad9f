import { tokensRoutes } from "@copper-kettle/contract";
import type { Command } from "commander";
import { clientOf, globalsOf } from "../context.js";
import { say, show, timeText } from "../output.js";
import { table } from "../table.js";

/** `token`: access tokens of people and programs. */
export function addToken(program: Command): void {
  const group = program
    .command("token")
    .description("access tokens of people and programs: add, list, remove");
  group
    .command("add")
    .description("create an access token; it is shown only once")
    .argument("<name>", "who will use it")
    .action(async (name: string, _options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const made = await clientOf(globals).call(tokensRoutes.createToken, { body: { name } });
      show(globals, made, () => made.token);
    });
  group
    .command("list")
    .description("list the access tokens")
    .action(async (_options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const { tokens } = await clientOf(globals).call(tokensRoutes.listTokens);
      show(globals, tokens, () =>
        table(
          ["NAME", { times: "CREATED" }],
          tokens.map((item) => [item.name, timeText(item.createdAt)]),
          "No access tokens.",
        ),
      );
    });
  group
    .command("remove")
    .description("revoke an access token; it stops working immediately")
    .argument("<name>")
    .action(async (name: string, _options: unknown, command: Command) => {
      await clientOf(globalsOf(command)).call(tokensRoutes.removeToken, { params: { name } });
      say(`Revoked the access token ${name}.`);
    });
}
