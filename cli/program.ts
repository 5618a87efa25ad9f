import { Command } from "commander";
import { addActivity } from "./commands/activity.js";
import { addBackup } from "./commands/backup.js";
import { addConstant } from "./commands/constant.js";
import { addErase } from "./commands/erase.js";
import { addKey } from "./commands/key.js";
import { addLocks } from "./commands/locks.js";
import { addNetwork } from "./commands/network.js";
import { addNotifications } from "./commands/notifications.js";
import { addPause } from "./commands/pause.js";
import { addRateLimits } from "./commands/rate-limits.js";
import { addRemembered } from "./commands/remembered.js";
import { addRetention } from "./commands/retention.js";
import { addStatus } from "./commands/status.js";
import { addToken } from "./commands/token.js";
import { addApi } from "./commands/api.js";
import { addCredential } from "./commands/credential.js";
import { addDemo } from "./commands/demo.js";
import { addEval } from "./commands/eval.js";
import { addRun } from "./commands/run.js";
import { addServe } from "./commands/serve.js";
import { addStart } from "./commands/start.js";
import { addTest } from "./commands/test.js";
import { addTrigger } from "./commands/trigger.js";
import { addTry } from "./commands/try.js";
import { addWorkflow } from "./commands/workflow.js";

/** The command line of `ckettle`. */
export function buildProgram(): Command {
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
    addRemembered,
    addLocks,
    addRateLimits,
    addPause,
    addBackup,
    addRetention,
    addErase,
    addNetwork,
    addNotifications,
    addApi,
    addTrigger,
    addTry,
    addEval,
    addCredential,
    addToken,
    addActivity,
    addConstant,
    addKey,
    addStatus,
  ])
    add(program);
  const override = (command: Command): void =>
    command.commands.forEach((inner) => override(inner.exitOverride().showSuggestionAfterError()));
  override(program);
  return program;
}
