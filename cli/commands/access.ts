import { routes } from "@copper-kettle/contract";
import type { Command } from "commander";
import { clientOf, globalsOf } from "../context.js";
import { say, show, table, timeText } from "../output.js";

/** Access tokens, and the activity record. */
export function addAccess(program: Command): void {
  const group = program
    .command("token")
    .description("access tokens of people and programs: add, list, remove");
  group
    .command("add")
    .description("make an access token; it is printed once, and is nowhere afterwards")
    .argument("<name>", "whose it is")
    .action(async (name: string, _options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const made = await clientOf(globals).call(routes.createToken, { body: { name } });
      show(globals, made, () => made.token);
    });
  group
    .command("list")
    .description("the names of the access tokens")
    .action(async (_options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const { tokens } = await clientOf(globals).call(routes.listTokens);
      show(globals, tokens, () =>
        table(
          ["NAME", "MADE"],
          tokens.map((item) => [item.name, timeText(item.createdAt)]),
          "There are none.",
        ),
      );
    });
  group
    .command("remove")
    .description("remove an access token; who holds it is out at once")
    .argument("<name>")
    .action(async (name: string, _options: unknown, command: Command) => {
      await clientOf(globalsOf(command)).call(routes.removeToken, { params: { name } });
      say(`The access token ${name} is removed.`);
    });
  program
    .command("activity")
    .description("the activity record: who did what, the newest first")
    .option("--credential <name>", "only what concerns this credential")
    .option("--limit <number>", "how many", "50")
    .action(async (options: { credential?: string; limit: string }, command: Command) => {
      const globals = globalsOf(command);
      const { activity } = await clientOf(globals).call(routes.listActivity, {
        query: {
          limit: Number(options.limit),
          ...(options.credential ? { credential: options.credential } : {}),
        },
      });
      const rows = activity.map((item) => [
        timeText(item.at),
        item.by,
        item.action,
        `${item.kind} ${item.name}`,
        [item.detail, item.run].filter(Boolean).join(" "),
      ]);
      show(globals, activity, () =>
        table(["AT", "BY", "DID", "WHAT", "DETAIL"], rows, "Nothing was done yet."),
      );
    });
}
