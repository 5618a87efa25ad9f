import { retentionRoutes, type Retention } from "@copper-kettle/contract";
import type { Command } from "commander";
import { clientOf, globalsOf } from "../context.js";
import { show } from "../output.js";

/** `retention`: how long ended runs are retained. */
export function addRetention(program: Command): void {
  const retention = program
    .command("retention")
    .description("how long ended runs are retained: show, set, prune");
  retention
    .command("show")
    .description("show how long ended runs are retained, and how many of each workflow")
    .action(async (_options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const rules = await clientOf(globals).call(retentionRoutes.retention);
      show(globals, rules, () => retentionText(rules));
    });
  retention
    .command("set")
    .description("set how long ended runs are retained")
    .option("--days <number>", "delete older ones; 0 for no limit")
    .option("--runs <number>", "retain so many of each workflow; 0 for no limit")
    .option("--workflow <name>", "only for this workflow")
    .action(async (options: { days?: string; runs?: string; workflow?: string }, command: Command) => {
      const globals = globalsOf(command);
      const client = clientOf(globals);
      const rules = await client.call(retentionRoutes.retention);
      const bounds = options.workflow
        ? { ...rules.workflows[options.workflow] }
        : { days: rules.days, runs: rules.runs };
      for (const key of ["days", "runs"] as const)
        if (options[key] !== undefined)
          bounds[key] = Number(options[key]) === 0 ? undefined : Number(options[key]);
      const next = options.workflow
        ? { ...rules, workflows: { ...rules.workflows, [options.workflow]: bounds } }
        : { ...rules, ...bounds };
      const saved = await client.call(retentionRoutes.putRetention, { body: next });
      show(globals, saved, () => retentionText(saved));
    });
  retention
    .command("prune")
    .description("delete old runs now; the service also does so by itself")
    .action(async (_options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const done = await clientOf(globals).call(retentionRoutes.prune);
      show(globals, done, () => `Deleted ${done.runs} runs and ${done.files} files.`);
    });
}

function retentionText(rules: Retention): string {
  const text = ({ days, runs }: { days?: number | undefined; runs?: number | undefined }): string =>
    `${days === undefined ? "for ever" : `for ${days} days`}, ${runs === undefined ? "any number" : `the last ${runs} runs`}`;
  return [
    `each workflow: ${text(rules)}`,
    ...Object.entries(rules.workflows).map(([name, own]) => `${name}: ${text({ ...rules, ...own })}`),
  ].join("\n");
}
