import { ProblemError, Unreachable } from "@copper-kettle/contract";
import { Command, CommanderError } from "commander";
import { errorColors } from "./colors.js";
import { addApi } from "./commands/api.js";
import { addAccess } from "./commands/access.js";
import { addCredential } from "./commands/credential.js";
import { addDemo } from "./commands/demo.js";
import { addEval } from "./commands/eval.js";
import { addOthers } from "./commands/others.js";
import { addRun } from "./commands/run.js";
import { addServe } from "./commands/serve.js";
import { addStart } from "./commands/start.js";
import { addShared } from "./commands/shared.js";
import { addTest } from "./commands/test.js";
import { addTry } from "./commands/try.js";
import { addUpkeep } from "./commands/upkeep.js";
import { addWorkflow } from "./commands/workflow.js";
import { Exit, exitCodes } from "./context.js";
import { say } from "./output.js";

function build(): Command {
  const program = new Command("ckettle")
    .description("Copper Kettle: chains authenticated HTTP API calls into workflows")
    .version("0.1.0")
    .option("--json", "print JSON")
    .option("--url <url>", "the service's address (COPPER_KETTLE_URL)")
    .option("--token <token>", "an access token (COPPER_KETTLE_TOKEN)")
    .option("--data <folder>", "the service's data folder (COPPER_KETTLE_DATA)")
    .addHelpText(
      "after",
      "\nExit codes: 0 done, 1 the run failed, 2 wrong use, 3 service unreachable, 4 not allowed",
    )
    .showSuggestionAfterError()
    .exitOverride();
  for (const add of [
    addServe,
    addDemo,
    addWorkflow,
    addStart,
    addTest,
    addRun,
    addShared,
    addUpkeep,
    addApi,
    addTry,
    addEval,
    addCredential,
    addAccess,
    addOthers,
  ])
    add(program);
  const override = (command: Command): void =>
    command.commands.forEach((inner) => override(inner.exitOverride().showSuggestionAfterError()));
  override(program);
  return program;
}

/** The exit code of whatever ended a command, and the sentence that goes with it. */
function outcome(error: unknown): { code: number; message: string } {
  if (error instanceof Exit) return { code: error.code, message: error.message };
  if (error instanceof CommanderError)
    return { code: error.exitCode === 0 ? 0 : exitCodes.wrongUse, message: "" };
  if (error instanceof Unreachable)
    return { code: exitCodes.unreachable, message: `${error.message} Start one with: ckettle serve` };
  if (error instanceof ProblemError) {
    const { status, title, detail, errors } = error.problem;
    const untold = errors?.filter((item) => !detail?.includes(item.message)) ?? [];
    const fields = untold.map((item) => `\n  ${item.field}: ${item.message}`).join("");
    const code = status === 401 || status === 403 ? exitCodes.notAllowed : exitCodes.wrongUse;
    return { code, message: `${title}: ${detail ?? ""}${fields}` };
  }
  return { code: exitCodes.wrongUse, message: (error as Error).message };
}

try {
  await build().parseAsync(process.argv);
} catch (error) {
  const { code, message } = outcome(error);
  if (message) say(code === 0 ? message : errorColors.red(message));
  process.exitCode = code;
}
