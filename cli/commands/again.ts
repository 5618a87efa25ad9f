import { byHandRoutes, runsRoutes, type ComparedStep, type Run } from "@copper-kettle/contract";
import { parseJson, printForPeople, type Json } from "@copper-kettle/core";
import { Option, type Command } from "commander";
import colors from "../colors.js";
import { clientOf, Exit, exitCodes, globalsOf } from "../context.js";
import { brief, show, stateText } from "../output.js";
import { table } from "../table.js";
import { finish, follow } from "./finish.js";
import { collect, withInputs, type InputOptions } from "./options.js";

interface AgainOptions extends InputOptions {
  from?: string;
  failedItems?: string;
  latest?: boolean;
  draft?: boolean;
  newKeys?: boolean;
  wait?: boolean;
}

interface ContinueOptions {
  set: string[];
  next?: "step" | "item";
  wait?: boolean;
}

/** Runs again: whole, from a step on, failed items only; going on from a breakpoint; two runs beside each other. */
export function addAgain(group: Command): void {
  withInputs(
    group
      .command("again")
      .description("run again: start a new run with the inputs of an earlier one")
      .argument("<id>"),
  )
    .option("--from <step>", "reuse the results of the steps before this one, and continue from it")
    .option("--failed-items <step>", "repeat only the failed items of this loop")
    .option("--latest", "use the published version; default: the version of that run")
    .option("--draft", "use the draft")
    .option("--new-keys", "use new idempotency keys and ids instead of those of the first run")
    .option("-w, --wait", "follow the run and print its response")
    .action(async (id: string, options: AgainOptions, command: Command) => {
      const globals = globalsOf(command);
      const client = clientOf(globals);
      const { workflow } = await client.call(runsRoutes.run, { params: { id } });
      const { inputsOf } = await import("./given-inputs.js");
      const inputs = await inputsOf(client, workflow, options);
      const run = await client.call(byHandRoutes.runAgain, {
        params: { id },
        body: {
          version: options.draft ? "draft" : options.latest ? "now" : "then",
          newKeys: options.newKeys ?? false,
          ...(options.from ? { from: options.from } : {}),
          ...(options.failedItems ? { failedItems: options.failedItems } : {}),
          ...(Object.keys(inputs).length > 0 ? { inputs } : {}),
        },
      });
      if (!options.wait) return show(globals, run, () => run.id);
      finish(await follow(client, globals, run.id), () => globals);
    });
  group
    .command("continue")
    .description("continue a run that is paused at a breakpoint")
    .argument("<id>")
    .option(
      "--set <place=value>",
      "change a value first, such as steps.guest.body.hut=corrie; repeat it for more",
      collect,
      [],
    )
    .addOption(
      new Option("--next <what>", "pause again before the next step, or before the next item").choices([
        "step",
        "item",
      ] as const),
    )
    .option("-w, --wait", "follow the run and print its response")
    .action(async (id: string, options: ContinueOptions, command: Command) => {
      const globals = globalsOf(command);
      const client = clientOf(globals);
      const set = Object.fromEntries(options.set.map(placeAndValue));
      const { next } = options;
      const run = await client.call(runsRoutes.continueRun, {
        params: { id },
        body: { set, ...(next ? { next } : {}) },
      });
      if (!options.wait) return show(globals, run, () => `${id} continues`);
      finish(await follow(client, globals, id), () => globals);
    });
  group
    .command("resume")
    .description("resume a parked run")
    .argument("<id>")
    .action(async (id: string, _options: unknown, command: Command) => {
      const run = await clientOf(globalsOf(command)).call(runsRoutes.resumeRun, { params: { id } });
      show(globalsOf(command), run, () => `${id} continues`);
    });
  group
    .command("compare")
    .description("compare two runs, step by step")
    .argument("<id>")
    .argument("<other>")
    .option("--all", "also list steps without differences")
    .action(async (id: string, other: string, options: { all?: boolean }, command: Command) => {
      const globals = globalsOf(command);
      const compared = await clientOf(globals).call(byHandRoutes.compareRuns, {
        params: { id },
        query: { with: other },
      });
      show(globals, compared, () => {
        const steps = compared.steps.filter((step) => options.all || differs(step));
        const head = `${sideText(compared.first)}   ${colors.dim("and")}   ${sideText(compared.second)}`;
        if (steps.length === 0) return `${head}\n\nNo differences.`;
        return `${head}\n\n${table(["STEP", "FIRST", "SECOND", "TOOK", ""], steps.flatMap(rowsOf), "")}`;
      });
    });
}

function sideText(run: Run): string {
  return `${run.id} ${stateText(run.state)}`;
}

function differs(step: ComparedStep): boolean {
  return step.first !== step.second || step.differences.length > 0 || step.attempts[0] !== step.attempts[1];
}

function rowsOf(step: ComparedStep): string[][] {
  const took = step.took.map((millis) => (millis === null ? "–" : printForPeople(millis))).join(" / ");
  const attempts = step.attempts[0] === step.attempts[1] ? "" : `attempts ${step.attempts.join(" / ")}`;
  const head = [step.path || "(run)", step.first ?? "–", step.second ?? "–", took, attempts];
  return [
    head,
    ...step.differences.map(({ place, first, second }) => [
      `  ${place}`,
      first === undefined ? colors.dim("nothing") : brief(first, 40),
      second === undefined ? colors.dim("nothing") : brief(second, 40),
      "",
      "",
    ]),
  ];
}

/** `place=value`; the value is JSON where it can be read so, else a text. */
function placeAndValue(text: string): [string, Json] {
  const at = text.indexOf("=");
  if (at < 1) throw new Exit(exitCodes.wrongUse, `--set is place=value; this is "${text}".`);
  const value = text.slice(at + 1);
  try {
    return [text.slice(0, at), parseJson(value)];
  } catch {
    return [text.slice(0, at), value];
  }
}
