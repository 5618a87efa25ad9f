import { runsRoutes } from "@copper-kettle/contract";
import type { Command } from "commander";
import { clientOf, globalsOf } from "../context.js";
import { show } from "../output.js";
import { finish, follow } from "./finish.js";
import { inputsOf } from "./given-inputs.js";
import { withInputs, type InputOptions } from "./options.js";

interface StartOptions extends InputOptions {
  wait?: boolean;
  draft?: boolean;
  key?: string;
}

export function addStart(program: Command): void {
  withInputs(
    program.command("start").description("start a run of a workflow").argument("<name>", "the workflow"),
  )
    .option("-w, --wait", "follow the run and print its response; exit code 1 when it does not succeed")
    .option("--draft", "run the draft instead of the published version")
    .option("--key <text>", "an idempotency key: starts with the same key give one run")
    .action(async (name: string, options: StartOptions, command: Command) => {
      const globals = globalsOf(command);
      const client = clientOf(globals);
      const inputs = await inputsOf(client, name, options);
      const run = await client.call(runsRoutes.startRun, {
        params: { name },
        body: { inputs, draft: options.draft ?? false },
        ...(options.key ? { headers: { "Idempotency-Key": options.key } } : {}),
      });
      if (!options.wait) return show(globals, run, () => run.id);
      finish(await follow(client, globals, run.id), () => globals);
    });
}
