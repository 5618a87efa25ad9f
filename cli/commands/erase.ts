import { erasuresRoutes, type ErasureReport } from "@copper-kettle/contract";
import type { Command } from "commander";
import { writeFileSync } from "node:fs";
import { clientOf, globalsOf } from "../context.js";
import { counted, say, show } from "../output.js";

interface EraseOptions {
  value: string;
  dryRun?: boolean;
  report?: string;
}

export function addErase(program: Command): void {
  program
    .command("erase")
    .description(
      "replace a value by [erased] in what has ended: runs, events, files, samples, tries, the activity",
    )
    .requiredOption("--value <value>", "what to erase, such as an e-mail address; at least 8 characters")
    .option("--dry-run", "only look, and change nothing")
    .option("--report <file>", "write what was found as JSON to a file; the value is not in it")
    .action(async (options: EraseOptions, command: Command) => {
      const globals = globalsOf(command);
      const body = { value: options.value, dryRun: options.dryRun === true };
      const done = await clientOf(globals).call(erasuresRoutes.erase, { body });
      if (options.report)
        writeFileSync(options.report, `${JSON.stringify(done, null, 2)}\n`, { mode: 0o600 });
      show(globals, done, () => table(done));
      if (done.refused.length > 0)
        say(
          `Nothing was erased in ${counted(done.refused.length, "run")} under way. Erase again when they have ended.`,
        );
      if (!options.dryRun) say("Backups and before-upgrade.sqlite are as they were.");
    });
}

function table(done: ErasureReport): string {
  const { runs, refused, elsewhere, ...counts } = done;
  return [
    `runs: ${runs.length}${runs.length > 0 ? ` (${runs.join(", ")})` : ""}`,
    ...Object.entries(counts).map(([what, number]) => `${what}: ${number}`),
    `under way: ${refused.length}${refused.length > 0 ? ` (${refused.join(", ")})` : ""}`,
    `elsewhere, unchanged: ${elsewhere.length}${elsewhere.length > 0 ? ` (${elsewhere.join("; ")})` : ""}`,
  ].join("\n");
}
