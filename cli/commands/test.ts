import { runsRoutes, type Client, type RunDetail, type RunOptionsInput } from "@copper-kettle/contract";
import {
  fixedOutcomes,
  own,
  printJson,
  type Entry,
  type Json,
  type RecordedRequest,
} from "@copper-kettle/core";
import type { Command } from "commander";
import colors from "../colors.js";
import { clientOf, Exit, exitCodes, globalsOf, type Globals } from "../context.js";
import { brief, say, show, stateText } from "../output.js";
import { table } from "../table.js";
import { exampleOf, examplesOf, unlike } from "./examples.js";
import { allEntries } from "./run.js";
import { finish, follow } from "./finish.js";
import { fromFile, inputsOf } from "./given-inputs.js";
import { collect, withInputs, type InputOptions } from "./options.js";

interface TestOptions extends InputOptions {
  step?: string;
  item?: string;
  to?: string;
  break: string[];
  fault: string[];
  fixed?: string;
  fixedFrom?: string;
  published?: boolean;
  examples?: boolean;
}

/** test and rehearse: runs that depart from a plain one. */
export function addTest(program: Command): void {
  withInputs(
    program
      .command("test")
      .description(
        "test a draft: whole, one step alone, or up to a step; with simulated faults and breakpoints",
      )
      .argument("<workflow>"),
  )
    .option("--step <name>", "run only this step, with fixed results for the others")
    .option("--item <number>", "for a step inside loops: the item, from 0")
    .option("--fixed-from <run>", "use the results of this run as fixed results")
    .option("--fixed <file>", "use fixed results from a JSON file: { step: outcome }")
    .option("--to <name>", "end after this step")
    .option(
      "--break <path>",
      'pause before a step, such as made, round[3]/post, or "post when hut.beds > 20"; repeat it for more',
      collect,
      [],
    )
    .option(
      "--fault <step=fault>",
      "simulate a fault, such as post=503x2 or post=timeout; repeat it for more",
      collect,
      [],
    )
    .option("--published", "run the published version")
    .option("--examples", "run all examples of the file, and check what they expect")
    .action(async (name: string, options: TestOptions, command: Command) => {
      const globals = globalsOf(command);
      const client = clientOf(globals);
      if (options.examples) return allExamples(client, globals, name, options);
      const run = await client.call(runsRoutes.startRun, {
        params: { name },
        body: {
          inputs: await inputsOf(client, name, options),
          draft: !options.published,
          options: optionsOf(options),
        },
      });
      const rested = await follow(client, globals, run.id);
      if (options.example !== undefined && !breakpointOf(rested)) {
        const reason = await unlike(client, await exampleOf(client, name, options.example), run.id);
        if (reason !== undefined) throw new Exit(exitCodes.runFailed, `${options.example}: ${reason}`);
      }
      if (breakpointOf(rested)) return atBreakpoint(rested);
      const wanted = options.step ?? options.to;
      if (wanted !== undefined && rested.state === "succeeded") {
        const outcome = await outcomeOf(client, run.id, wanted, Number(options.item ?? 0));
        return show(globals, outcome ?? null, () => (outcome === undefined ? "" : printJson(outcome, 2)));
      }
      finish(rested, () => globals);
    });
  withInputs(
    program
      .command("rehearse")
      .description("dry run: send only calls that read, and show what would have been sent")
      .argument("<workflow>"),
  )
    .option("--draft", "rehearse the draft instead of the published version")
    .action(async (name: string, options: InputOptions & { draft?: boolean }, command: Command) => {
      const globals = globalsOf(command);
      const client = clientOf(globals);
      const inputs = await inputsOf(client, name, options);
      const run = await client.call(runsRoutes.startRun, {
        params: { name },
        body: { inputs, draft: options.draft ?? false, options: { rehearsal: true } },
      });
      const rested = await follow(client, globals, run.id);
      const entries = await allEntries((after) =>
        client.call(runsRoutes.journal, { params: { id: run.id }, query: { after, limit: 1000 } }),
      );
      const calls = notSent(entries as Entry[]);
      show(globals, { run: rested, wouldSend: calls }, () => notSentLines(calls, rested));
      if (rested.state !== "succeeded") finish(rested, () => ({}));
    });
}

/** Runs each example of a file, one after another. */
async function allExamples(
  client: Client,
  globals: Globals,
  name: string,
  options: TestOptions,
): Promise<void> {
  const results: { example: string; run: string; fault: string | null }[] = [];
  for (const example of await examplesOf(client, name)) {
    const run = await client.call(runsRoutes.startRun, {
      params: { name },
      body: { inputs: example.inputs, draft: !options.published, options: optionsOf(options) },
    });
    await follow(client, globals, run.id);
    const fault = (await unlike(client, example, run.id)) ?? null;
    results.push({ example: example.name, run: run.id, fault });
  }
  show(globals, results, () =>
    table(
      ["EXAMPLE", "RUN", ""],
      results.map(({ example, run, fault }) => [example, run, fault ?? "as expected"]),
      "Its file has no examples: they stand under by-hand, examples.",
    ),
  );
  if (results.some(({ fault }) => fault !== null)) throw new Exit(exitCodes.runFailed);
}

function optionsOf(options: TestOptions): RunOptionsInput {
  return {
    ...(options.step
      ? { only: { step: options.step, ...(options.item ? { item: Number(options.item) } : {}) } }
      : {}),
    ...(options.to ? { to: options.to } : {}),
    ...(options.fixedFrom ? { fixedFrom: options.fixedFrom } : {}),
    ...(options.fixed ? { fixed: fromFile(options.fixed) } : {}),
    ...(options.break.length > 0 ? { breakpoints: options.break.map(breakpointFrom) } : {}),
    ...(options.fault.length > 0 ? { faults: options.fault.map(faultOf) } : {}),
  };
}

/** `post when hut.beds > 20`: a step, and a condition. */
function breakpointFrom(text: string): NonNullable<RunOptionsInput["breakpoints"]>[number] {
  const [, step, when] = /^(\w+)\s+when\s+(.+)$/s.exec(text) ?? [];
  return step !== undefined && when !== undefined ? { step, when } : text;
}

const failures = ["connect", "tls", "dns", "timeout", "cut"] as const;

/** `post=503x2`: the step, a status or a way to fail, and how often. */
function faultOf(text: string): NonNullable<RunOptionsInput["faults"]>[number] {
  const [, step = "", what = "", times = "1"] = /^(\w+)=(\d{3}|[a-z]+?)(?:x(\d+))?$/.exec(text) ?? [];
  const failure = failures.find((one) => one === what);
  if (/^\d{3}$/.test(what)) return { step, status: Number(what), times: Number(times) };
  if (failure) return { step, failure, times: Number(times) };
  throw new Exit(
    exitCodes.wrongUse,
    `A fault is step=status or step=${failures.join("|")}, with x and a number for how often, such as post=503x2; this is "${text}".`,
  );
}

function breakpointOf({ waits }: RunDetail): RunDetail["waits"][number] | undefined {
  return waits.find(({ kind }) => kind === "breakpoint");
}

function atBreakpoint(run: RunDetail): void {
  const path = breakpointOf(run)?.name ?? "";
  say(
    `${stateText("waiting")} before ${colors.bold(path)}. Look at the values with: ckettle eval steps --run ${run.id}`,
  );
  say(`Continue with: ckettle run continue ${run.id} [--set steps.x.body.y=value]`);
  process.stdout.write(`${run.id}\n`);
}

async function outcomeOf(client: Client, id: string, step: string, item: number): Promise<Json | undefined> {
  const entries = await allEntries((after) =>
    client.call(runsRoutes.journal, { params: { id }, query: { after, limit: 1000 } }),
  );
  return own(fixedOutcomes(entries as Entry[], item), step);
}

interface NotSent {
  path: string;
  method: string;
  url: string;
  body: Json | null;
}

/** The calls that a rehearsal not sent, as they would have been sent. */
function notSent(entries: Entry[]): NotSent[] {
  const requests = new Map<string, RecordedRequest>();
  const found: NotSent[] = [];
  for (const entry of entries) {
    if (entry.type === "begun" && entry.data["request"])
      requests.set(entry.path, entry.data["request"] as unknown as RecordedRequest);
    const request = "path" in entry ? requests.get(entry.path ?? "") : undefined;
    if (entry.type !== "attempt" || entry.pretended !== "rehearsal" || !request) continue;
    const { method, url, body } = request;
    found.push({ path: entry.path, method, url, body: (body as Json | undefined) ?? null });
  }
  return found;
}

function notSentLines(calls: NotSent[], run: RunDetail): string {
  if (calls.length === 0)
    return run.state === "succeeded" ? "All calls only read. Nothing else would have been sent." : "";
  const lines = calls.map(
    ({ path, method, url, body }) =>
      `${colors.bold(path)}  ${method} ${url}${body === null ? "" : `  ${brief(body, 200)}`}`,
  );
  return [`${calls.length} ${calls.length === 1 ? "call" : "calls"} would have been sent:`, ...lines].join(
    "\n",
  );
}
